"""Kernels that the first sound of a new studio needs, which are compiled ahead of all others.

A test renders that sound and compares: to write the list anew, copy what it reports.
"""

FIRST_KERNELS = frozenset(
    {
        "caligo.effects.chorus._run",
        "caligo.effects.reverb._run",
        "caligo.engine.layers.metering._measure",
        "caligo.engine.layers.voicing.add_drift",
        "caligo.measure.loudness._weigh",
        "caligo.measure.panorama.add_channels",
        "caligo.measure.true_peak._raised",
        "caligo.modulators.lfo._values",
        "caligo.modulators.random._values",
        "caligo.movement.chance.combine",
        "caligo.movement.chance.signed",
        "caligo.movement.chance.unit",
        "caligo.movement.chance.units",
        "caligo.movement.envelope.envelope_values",
        "caligo.movement.lane.lane_values",
        "caligo.movement.trajectory._add_route",
        "caligo.movement.trajectory._to_unit",
        "caligo.processing.limiter._run",
        "caligo.signal.gains.add_scaled",
        "caligo.signal.gains.scale_stereo",
        "caligo.signal.gains.sum_voices",
        "caligo.signal.pan.placed",
        "caligo.signal.matched._fill",
        "caligo.signal.sections._run_in_series",
        "caligo.signal.silence.silence_broken",
        "caligo.synthesis.oscillators.add_phases",
        "caligo.synthesis.oscillators.render_voice",
        "caligo.synthesis.unison_drift.drift_rate",
    }
)

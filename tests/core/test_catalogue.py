"""The catalogue finds every module by itself, and everything else finds modules through it."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from caligo import catalogue
from caligo.catalogue import Kind, Module, Moves, Parameter, Scale, registry
from caligo.document import read_sound
from caligo.document.values import check_value, default_value
from caligo.formats.schema import sound_schema

CORE = Path(registry.__file__).parents[1]
FAMILIES = {"source": "sources", "filter": "filters", "effect": "effects", "modulator": "movement"}


def every_parameter() -> list[tuple[Module, Parameter]]:
    return [(m, p) for m in catalogue.catalogue() for p in m.parameters]


@pytest.mark.parametrize(
    ("module", "parameter"),
    every_parameter(),
    ids=lambda x: x.kind if isinstance(x, Module) else x.key,
)
def test_defaults_are_allowed_and_described(module: Module, parameter: Parameter) -> None:
    assert check_value(parameter, default_value(parameter), parameter.key) is None
    assert parameter.help.endswith(".")
    assert parameter.name


def test_only_numbers_and_times_can_be_moved() -> None:
    for module, parameter in every_parameter():
        if parameter.kind not in (Kind.NUMBER, Kind.INTEGER, Kind.TIME):
            assert parameter.moves is Moves.NO, f"{module.kind}.{parameter.key}"


def test_depth_is_in_octaves_only_on_logarithmic_scales() -> None:
    for _, parameter in every_parameter():
        expected = "oct" if parameter.scale is Scale.LOGARITHMIC else parameter.unit
        assert parameter.depth_unit == expected


def test_no_file_outside_its_own_knows_a_module() -> None:
    """Adding a module is one new file: nobody else in the core may name its file."""
    for module in catalogue.catalogue():
        if module.family not in FAMILIES or module.family == "modulator":
            continue
        if module.category == "Filters" and module.kind.endswith("_filter"):
            continue  # the effect that a filter is lives in the filter's file
        home = CORE / FAMILIES[module.family] / f"{module.kind}.py"
        assert home.exists(), f"{module.kind} lives in a file of its name"
        name = f"caligo.{FAMILIES[module.family]}.{module.kind}"
        users = [f for f in CORE.rglob("*.py") if f != home and f"{name} import" in f.read_text()]
        assert users == [], f"{name} is imported by {users}"


def test_a_new_module_is_found_everywhere(monkeypatch: pytest.MonkeyPatch) -> None:
    catalogue.catalogue()
    monkeypatch.setattr(registry, "_modules", dict(registry._modules))
    monkeypatch.setattr(registry, "_implementations", dict(registry._implementations))
    spec = Module("effect", "veil", "Veil", "A test.", (Parameter("mix", "Mix", "Much."),))
    catalogue.register(spec)(object)
    assert "veil" in json.dumps(catalogue.as_json())
    assert "veil" in json.dumps(sound_schema())
    sound = read_sound(
        {
            "name": "X",
            "layers": [{"id": "a", "name": "A", "source": {"kind": "wavetable"}}],
            "master": {"effects": [{"id": "v", "kind": "veil"}]},
        }
    )
    assert sound.master.effects[0].params == {"mix": 0.0, "output": 0.0}


def test_registering_something_else_under_a_taken_kind_is_refused() -> None:
    spec = Module("filter", "lowpass", "Other", "A test.", ())
    with pytest.raises(ValueError, match="twice"):
        catalogue.register(spec)(object)


def test_unknown_kind_names_those_that_exist() -> None:
    with pytest.raises(catalogue.UnknownModule, match="lowpass"):
        catalogue.module("filter", "nothing")


@pytest.mark.parametrize(
    "wrong",
    [
        {"low": 0.0, "high": 1.0, "default": 2.0},
        {"kind": Kind.CHOICE, "default": "missing"},
        {"low": 0.0, "high": 1.0, "default": 0.5, "scale": Scale.LOGARITHMIC},
    ],
)
def test_impossible_parameters_are_refused(wrong: dict[str, object]) -> None:
    with pytest.raises(ValueError, match="x"):
        Parameter("x", "X", "X.", **wrong)  # type: ignore[arg-type]

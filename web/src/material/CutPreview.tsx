import { ink, usePainted } from "../ui/painted";
import type { Cut } from "./library";

/** A cut as it would be kept: its cycles one after the other, and their partials. */
export function CutPreview({ cut }: { cut: Cut }) {
  const cycles = usePainted(
    (context, width, height) => {
      const step = width / cut.cycles.length;
      context.lineWidth = 0.8;
      cut.cycles.forEach((cycle, i) => {
        context.strokeStyle = ink(0.8);
        context.beginPath();
        cycle.forEach((value, k) => {
          const x = i * step + 1 + (k / (cycle.length - 1)) * (step - 2);
          const y = height / 2 - value * (height / 2 - 3);
          if (k === 0) context.moveTo(x, y);
          else context.lineTo(x, y);
        });
        context.stroke();
      });
    },
    [cut],
  );
  const partials = usePainted(
    (context, width, height) => {
      const step = width / cut.partials.length;
      cut.partials.forEach((levels, i) => {
        const tall = height / levels.length;
        levels.forEach((level, n) => {
          const strength = Math.max(0, 1 + Math.log10(Math.max(level, 1e-4)) / 3);
          context.fillStyle = ink(strength ** 2);
          context.fillRect(i * step, height - (n + 1) * tall, step + 0.4, tall);
        });
      });
    },
    [cut],
  );
  return (
    <div
      role="img"
      aria-label={`${cut.cycles.length} cycles, cut at ${cut.hertz.toFixed(1)} Hz`}
      className="border border-line bg-paper"
      data-cut={cut.cycles.length}
    >
      <canvas ref={cycles} className="block h-[64px] w-full" />
      <canvas ref={partials} className="block h-[64px] w-full border-t border-line" />
    </div>
  );
}

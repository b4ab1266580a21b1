/** Sample formats of exported files, as the core's `SAMPLE_FORMATS` has them. */

import type { RenderIn } from "../api/client";

interface Format {
  name: string;
  containers: readonly RenderIn["container"][];
}

export const FORMATS: Record<RenderIn["sample_format"], Format> = {
  pcm16: { name: "16 bit, dithered", containers: ["wav", "flac"] },
  pcm24: { name: "24 bit", containers: ["wav", "flac"] },
  float32: { name: "32 bit float", containers: ["wav"] },
};
export const FORMAT_NAMES = Object.keys(FORMATS) as RenderIn["sample_format"][];

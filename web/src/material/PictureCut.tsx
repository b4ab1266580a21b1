import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { bytes, type Schemas, upload } from "../api/client";
import { refresh } from "../api/refresh";
import { notify } from "../notices/notices";
import { FileField } from "../ui/FileField";
import { Section } from "../ui/Section";
import { CutPreview } from "./CutPreview";
import { hear, hush, useHearing } from "./hearing";
import { type Cut, MATERIAL, useMaterialView } from "./library";

const NAME = "cut of a picture";

/** Cut a wavetable from a picture: brightness along a row is a cycle, rows are positions. */
export function PictureCut() {
  const queries = useQueryClient();
  const field = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<File | null>(null);
  const [cut, setCut] = useState<Cut | null>(null);
  const heard = useHearing((s) => s.what);
  const take = async (picture: File) => {
    try {
      setCut(await upload<Cut>("/api/material/picture", picture));
      setFile(picture);
    } catch (error) {
      notify((error as Error).message);
    }
  };
  const listen = (picture: File) => {
    const form = new FormData();
    form.append("file", picture);
    return hear(NAME, () =>
      bytes("/api/material/picture/audio", { method: "POST", body: form }),
    ).catch((error: Error) => notify(error.message));
  };
  const keep = async (picture: File) => {
    const name = encodeURIComponent(picture.name.replace(/\.png$/i, ""));
    try {
      const kept = await upload<Schemas["KeptTable"]>(
        `/api/material/picture/keep?name=${name}`,
        picture,
      );
      await refresh(queries, MATERIAL);
      useMaterialView.setState({ key: kept.card.key });
      setCut(null);
    } catch (error) {
      notify((error as Error).message);
    }
  };
  return (
    <Section
      title="Cut a table from a picture"
      about="PNG: brightness along a row is a cycle, rows from top to bottom are positions"
      columns={1}
    >
      <div className="flex items-center gap-3">
        <button type="button" className="button" onClick={() => field.current?.click()}>
          Choose a picture…
        </button>
        <FileField
          field={field}
          label="Picture to cut a table from"
          accept=".png,image/png"
          onFiles={([picture]) => void take(picture)}
        />
        {file && cut && (
          <>
            <span className="min-w-0 flex-1 truncate">{file.name}</span>
            <button
              type="button"
              className="button"
              onClick={() => (heard === NAME ? hush() : void listen(file))}
            >
              {heard === NAME ? "Stop" : "Play picture"}
            </button>
            <button type="button" className="button button-ink" onClick={() => void keep(file)}>
              Keep picture’s table
            </button>
          </>
        )}
      </div>
      {cut && <CutPreview cut={cut} />}
    </Section>
  );
}

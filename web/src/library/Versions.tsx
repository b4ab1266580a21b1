import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { api, type Sound, taken, type VersionOut } from "../api/client";
import { edit, say, useSession } from "../session/store";

function VersionList() {
  const soundId = useSession((s) => s.soundId) ?? 0;
  const queries = useQueryClient();
  const key = ["versions", soundId];
  const path = { path: { sound_id: soundId } };
  const versions = useQuery({
    queryKey: key,
    queryFn: () => taken(api.GET("/api/sounds/{sound_id}/versions", { params: path })),
  });
  const [name, setName] = useState("");
  const keep = async () => {
    try {
      await taken(
        api.POST("/api/sounds/{sound_id}/versions", { params: path, body: { name: name.trim() } }),
      );
      setName("");
    } catch (error) {
      say(error instanceof Error ? error.message : String(error));
    }
    await queries.invalidateQueries({ queryKey: key });
  };
  const restore = async (version: VersionOut) => {
    try {
      const kept = await taken(
        api.GET("/api/versions/{version_id}", { params: { path: { version_id: version.id } } }),
      );
      edit(
        "sound",
        [{ op: "replace", path: "", value: kept.document as Sound }],
        `Restore version ${version.number}`,
      );
      say(`Version ${version.number} is back. Undo returns to what was before.`, "news");
    } catch (error) {
      say(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <>
      <form
        className="mb-2 flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          void keep();
        }}
      >
        <input
          className="field flex-1"
          aria-label="Name of the version"
          placeholder="Name, if it needs one"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <button type="submit" className="button button-ink">
          Keep this state
        </button>
      </form>
      <ul>
        {(versions.data ?? []).map((version) => (
          <li key={version.id} className="flex items-center gap-2 border-b border-line py-1">
            <b className="w-8 text-right">{version.number}</b>
            <span className="min-w-0 flex-1 truncate">{version.name || "Unnamed"}</span>
            <span className="label">
              {new Date(version.created).toLocaleString([], {
                dateStyle: "medium",
                timeStyle: "short",
              })}
            </span>
            <button
              type="button"
              className="button"
              onClick={() => void restore(version)}
              aria-label={`Restore version ${version.number}`}
            >
              Restore
            </button>
          </li>
        ))}
      </ul>
      {versions.error && (
        <p role="alert" className="text-warn">
          {versions.error.message}
        </p>
      )}
    </>
  );
}

export function VersionsButton() {
  const [open, setOpen] = useState(false);
  return (
    <Dialog.Root open={open} onOpenChange={setOpen} modal={false}>
      <Dialog.Trigger className="button">Versions</Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Content
          className="panel fixed right-4 top-12 z-50 max-h-[70vh] w-[420px] overflow-y-auto p-4"
          onKeyDown={(event) => event.stopPropagation()}
          aria-describedby={undefined}
        >
          <Dialog.Title className="mb-2 text-base">Versions</Dialog.Title>
          {open && <VersionList />}
          <Dialog.Close className="button-plain absolute right-2 top-2" aria-label="Close">
            ✕
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

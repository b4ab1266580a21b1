import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Sound, taken, type VersionOut } from "../api/client";
import { refresh } from "../api/refresh";
import { notify } from "../notices/notices";
import { edit, useSession } from "../session/store";
import { Panel } from "../ui/Panel";
import { useRemoving } from "./productions";

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
  const remove = useRemoving();
  const keep = async () => {
    try {
      await taken(
        api.POST("/api/sounds/{sound_id}/versions", { params: path, body: { name: name.trim() } }),
      );
      setName("");
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    }
    await refresh(queries, key);
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
      notify(`Version ${version.number} is back. Undo returns to what was before.`, "news");
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
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
            <button
              type="button"
              className="button-plain"
              onClick={() =>
                void remove("version", version.id, version.name || `Version ${version.number}`)
              }
              aria-label={`Delete version ${version.number}`}
            >
              Delete
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
    <Panel
      button="Versions"
      title="Versions"
      open={open}
      onOpen={setOpen}
      place="right-4 top-12 max-h-[70vh] w-[420px]"
    >
      {open && <VersionList />}
    </Panel>
  );
}

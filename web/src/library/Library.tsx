import { useRef, useState } from "react";
import { api, type ProductionEntry, taken, upload } from "../api/client";
import { useSession } from "../session/store";
import { EditableName } from "../ui/EditableName";
import { FileField } from "../ui/FileField";
import { Menu } from "../ui/Menu";
import { Panel } from "../ui/Panel";
import { Deleted } from "./Deleted";
import { goTo } from "./place";
import { useActions, useProductions, useRemoving } from "./productions";

type Cue = ProductionEntry["cues"][number];

const newSoundIn = (cueId: number) =>
  taken(
    api.POST("/api/cues/{cue_id}/sounds", {
      params: { path: { cue_id: cueId } },
      body: { name: "New sound" },
    }),
  );

/** What was just made is opened: the sound of a cue, a first one where it has none. */
async function openedIn(cue: Cue): Promise<number> {
  return cue.sounds[0]?.id ?? (await newSoundIn(cue.id)).id;
}

function CueBlock({ cue, close }: { cue: Cue; close: () => void }) {
  const act = useActions();
  const open = useSession((s) => s.soundId);
  const picker = useRef<HTMLInputElement>(null);
  const remove = useRemoving();
  const path = { path: { cue_id: cue.id } };
  return (
    <div className="mb-2 border-l-[5px] border-edge bg-fog/60 px-3 py-1.5">
      <div className="flex items-center gap-2">
        <span className="label w-9">{cue.number}</span>
        <EditableName
          name={cue.name}
          label="Cue"
          className="min-w-0 flex-1 font-bold"
          onChange={(name) =>
            void act(
              taken(
                api.PATCH("/api/cues/{cue_id}", {
                  params: path,
                  body: { name, number: cue.number },
                }),
              ),
            )
          }
        />
        <Menu
          button="Add sound"
          label={`Add sound to ${cue.name}`}
          entries={[
            {
              name: "New sound",
              act: () =>
                void act(newSoundIn(cue.id), (sound) => {
                  goTo(sound.id);
                  close();
                }),
            },
            { name: "From a JSON file", act: () => picker.current?.click() },
          ]}
        />
        <Menu
          button="⋯"
          label={`More for cue ${cue.name}`}
          entries={[
            {
              name: "Delete cue",
              help: "With its sounds.",
              disabled: cue.sounds.some((sound) => sound.id === open),
              act: () => void remove("cue", cue.id, cue.name),
            },
          ]}
        />
        <FileField
          field={picker}
          label="Sound document"
          accept=".json,application/json"
          onFiles={([file]) =>
            void act(upload<{ id: number }>(`/api/cues/${cue.id}/sounds/import`, file), (sound) => {
              goTo(sound.id);
              close();
            })
          }
        />
      </div>
      <ul>
        {cue.sounds.map((sound) => (
          <li key={sound.id} className="flex items-center gap-1 pl-11">
            <button
              type="button"
              className={`button-plain flex-1 text-left text-ink ${open === sound.id ? "font-bold" : ""}`}
              onClick={() => {
                goTo(sound.id);
                close();
              }}
            >
              {sound.name}
              {open === sound.id ? ", open" : ""}
            </button>
            <button
              type="button"
              className="button-plain"
              onClick={() =>
                void act(
                  taken(
                    api.POST("/api/cues/{cue_id}/sounds", {
                      params: path,
                      body: { name: `${sound.name} copy`, copy_of: sound.id },
                    }),
                  ),
                  (copy) => {
                    goTo(copy.id);
                    close();
                  },
                )
              }
            >
              Copy
            </button>
            <button
              type="button"
              className="button-plain"
              disabled={open === sound.id}
              title={open === sound.id ? "Open another sound first" : "Delete with its versions"}
              aria-label={`Delete ${sound.name}`}
              onClick={() => void remove("sound", sound.id, sound.name)}
            >
              Delete
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

function Tree({ close }: { close: () => void }) {
  const productions = useProductions();
  const act = useActions();
  const remove = useRemoving();
  const open = useSession((s) => s.soundId);
  return (
    <>
      {(productions.data ?? []).map((production) => (
        <section key={production.id} className="mb-4">
          <div className="mb-1 flex items-center gap-2">
            <EditableName
              name={production.name}
              label="Production"
              className="min-w-0 flex-1 text-base font-bold"
              onChange={(name) =>
                void act(
                  taken(
                    api.PATCH("/api/productions/{production_id}", {
                      params: { path: { production_id: production.id } },
                      body: { name },
                    }),
                  ),
                )
              }
            />
            <button
              type="button"
              className="button-plain"
              onClick={() =>
                void act(
                  taken(
                    api.POST("/api/productions/{production_id}/cues", {
                      params: { path: { production_id: production.id } },
                      body: { number: `${production.cues.length + 1}m1`, name: "New cue" },
                    }),
                  ).then(openedIn),
                  goTo,
                )
              }
            >
              Add cue
            </button>
            <Menu
              button="⋯"
              label={`More for production ${production.name}`}
              entries={[
                {
                  name: "Delete production",
                  help: "With its cues and sounds.",
                  disabled: production.cues.some((c) => c.sounds.some((x) => x.id === open)),
                  act: () => void remove("production", production.id, production.name),
                },
              ]}
            />
          </div>
          {production.cues.map((cue) => (
            <CueBlock key={cue.id} cue={cue} close={close} />
          ))}
        </section>
      ))}
      <button
        type="button"
        className="button"
        onClick={() =>
          void act(
            taken(api.POST("/api/productions", { body: { name: "New production" } })).then(
              (made) => (made.cues[0] ? openedIn(made.cues[0]) : null),
            ),
            (sound) => sound !== null && goTo(sound),
          )
        }
      >
        New production
      </button>
      <Deleted />
      {productions.error && (
        <p role="alert" className="text-warn">
          {productions.error.message}
        </p>
      )}
    </>
  );
}

/** Where we are, and the way to everything else. */
export function Library() {
  const [open, setOpen] = useState(false);
  const production = useSession((s) => s.productionName);
  const cue = useSession((s) => s.cueName);
  return (
    <Panel
      button={
        <>
          {production} <span aria-hidden>/</span> {cue} <span aria-hidden>▾</span>
        </>
      }
      label={`${production} / ${cue}: productions, cues and sounds`}
      title="Productions, cues and sounds"
      open={open}
      onOpen={setOpen}
      className="button-plain min-w-0 truncate text-sm"
      place="left-4 top-12 max-h-[85vh] w-[520px]"
    >
      {open && <Tree close={() => setOpen(false)} />}
    </Panel>
  );
}

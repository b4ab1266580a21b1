import type { Bus, Layer } from "../api/client";
import { addSend, removePart } from "../document/edits";
import { change } from "../session/change";
import { PartStrips } from "../strips/PartStrips";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu } from "../ui/Menu";

interface Sending {
  sender: Layer | Bus;
  /** Where the sender lies in the document. */
  pointer: string;
  buses: Bus[];
}

/** Where a layer or a bus sends to: how much, and whether it follows the fader. */
export function Sends({ sender, pointer, buses }: Sending) {
  return sender.sends.map((send, i) => {
    const name = buses.find((bus) => bus.id === send.bus)?.name ?? "bus";
    const place = {
      path: `${sender.id}.${send.id}`,
      pointer: `${pointer}/sends/${i}`,
      family: "part",
      kind: "send",
      owner: sender.name,
      title: "Send",
    };
    return (
      <PartStrips
        key={send.id}
        place={place}
        rename={(parameter) => (parameter.key === "level" ? `Send to ${name}` : parameter.name)}
      />
    );
  });
}

/** Menus that add and remove sends. */
export function SendActions({ sender, pointer, buses }: Sending) {
  const catalogue = useCatalogue();
  const others = buses.filter((bus) => bus.id !== sender.id);
  const unsent = others.filter((bus) => !sender.sends.some((send) => send.bus === bus.id));
  return (
    <>
      {sender.sends.length > 0 && (
        <Menu
          button="Remove send"
          label="Remove a send"
          entries={sender.sends.map((send, i) => ({
            name: buses.find((bus) => bus.id === send.bus)?.name ?? "Send",
            act: () =>
              change("Remove send", (s) =>
                removePart(s, `${sender.id}.${send.id}`, `${pointer}/sends/${i}`),
              ),
          }))}
        />
      )}
      {unsent.length > 0 && (
        <Menu
          button="Add send"
          label={`Send ${sender.name} to a bus`}
          entries={unsent.map((bus) => ({
            name: bus.name,
            act: () => change("Add send", () => addSend(catalogue, sender, pointer, bus.id)),
          }))}
        />
      )}
    </>
  );
}

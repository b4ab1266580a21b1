import { useQueryClient } from "@tanstack/react-query";
import { refresh } from "../api/refresh";
import { EditableName } from "../ui/EditableName";
import { changeCard, letGo, MATERIAL, type Material, type TableCard } from "./library";

/** A table in the library: where it came from, and what uses it. */
export function TableDetail({ entry }: { entry: Material }) {
  const queries = useQueryClient();
  const card = entry.card as TableCard;
  const again = () => refresh(queries, MATERIAL);
  return (
    <div className="mb-4">
      <div className="flex items-baseline gap-3">
        <EditableName
          name={card.name}
          label="Table"
          className="text-base font-bold"
          onChange={(name) => void changeCard(card, { name }, "Rename").then(again)}
        />
        <span className="label flex-1">{card.frames} cycles</span>
        <button type="button" className="button-plain" onClick={() => void letGo(card, again)}>
          Let go
        </button>
      </div>
      <p className="mt-1">{card.origin}.</p>
      <p className="label">
        {entry.used_by.length > 0
          ? `Used by ${entry.used_by.join(", ")}.`
          : "Not used yet: choose “Cut from material” as the table of a wavetable layer."}
      </p>
    </div>
  );
}

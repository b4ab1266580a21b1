/** Edits made on one state of a document, brought onto another that was made meanwhile. */

import { applyOperations, type Operation } from "./patch";

type Node = Record<string, unknown> | unknown[];

/** What was edited is no longer there, or cannot be told apart any more. */
class Lost extends Error {}

function idOf(item: unknown): unknown {
  return item && typeof item === "object" ? (item as { id?: unknown }).id : undefined;
}

/** Where an item of one list stands in another: by its id, or by its place in lists of values. */
function place(from: unknown[], to: unknown[], index: number): number {
  const id = idOf(from[index]);
  if (id === undefined) {
    if (from.length !== to.length) throw new Lost();
    return index;
  }
  const found = to.findIndex((item) => idOf(item) === id);
  if (found < 0) throw new Lost();
  return found;
}

function translated(operation: Operation, from: unknown, to: unknown): Operation {
  const steps = operation.path.split("/").slice(1);
  const found: string[] = [];
  let [mine, theirs] = [from, to];
  for (const [i, step] of steps.entries()) {
    const last = i === steps.length - 1;
    if (Array.isArray(mine) && Array.isArray(theirs)) {
      if (last && operation.op === "add") {
        const id = idOf(operation.value);
        if (id !== undefined && theirs.some((item) => idOf(item) === id)) throw new Lost();
        found.push(step === "-" ? step : String(Math.min(Number(step), theirs.length)));
        continue;
      }
      const at = place(mine, theirs, Number(step));
      found.push(String(at));
      [mine, theirs] = [mine[Number(step)], theirs[at]];
      continue;
    }
    const name = step.replaceAll("~1", "/").replaceAll("~0", "~");
    if (!theirs || typeof theirs !== "object" || !mine || typeof mine !== "object")
      throw new Lost();
    if (!(last && operation.op === "add") && !(name in theirs)) throw new Lost();
    found.push(step);
    [mine, theirs] = [(mine as Node)[name as never], (theirs as Node)[name as never]];
  }
  return { ...operation, path: ["", ...found].join("/") } as Operation;
}

/**
 * Operations made on `from`, as they go onto `to`; null if what they change is gone.
 *
 * Layers, routes, notes and so on are found by their ids, wherever they stand now.
 */
export function rebased<T>(operations: Operation[], from: T, to: T): Operation[] | null {
  const found: Operation[] = [];
  let [mine, theirs] = [from, to];
  try {
    for (const operation of operations) {
      const fresh = translated(operation, mine, theirs);
      mine = applyOperations(mine, [operation]).document;
      theirs = applyOperations(theirs, [fresh]).document;
      found.push(fresh);
    }
  } catch {
    return null;
  }
  return found;
}

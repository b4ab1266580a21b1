/** JSON Patch (RFC 6902) on documents that are never changed in place: what stays is shared. */

export type Operation =
  | { op: "add"; path: string; value: unknown }
  | { op: "replace"; path: string; value: unknown }
  | { op: "remove"; path: string };

type Node = Record<string, unknown> | unknown[];

/** Pointers taken apart: every strip asks for its own at every edit. */
const apart = new Map<string, readonly string[]>();
const MOST_APART = 5000;

function steps(pointer: string): readonly string[] {
  const found = apart.get(pointer);
  if (found) return found;
  const path = pointer
    .split("/")
    .slice(1)
    .map((step) => step.replaceAll("~1", "/").replaceAll("~0", "~"));
  if (apart.size >= MOST_APART) apart.clear();
  apart.set(pointer, path);
  return path;
}

function child(node: unknown, step: string): unknown {
  if (Array.isArray(node)) return node[Number(step)];
  if (node && typeof node === "object") return (node as Record<string, unknown>)[step];
  throw new Error(`there is nothing at ${step}`);
}

/** The value at a pointer. */
export function valueAt(document: unknown, pointer: string): unknown {
  let node = document;
  for (const step of steps(pointer)) node = child(node, step);
  return node;
}

function change(
  node: unknown,
  path: readonly string[],
  act: (parent: Node, step: string) => void,
): unknown {
  const [step, ...rest] = path;
  if (step === undefined) return node;
  const copy = (Array.isArray(node) ? [...node] : { ...(node as object) }) as Node;
  if (rest.length === 0) act(copy, step);
  else (copy as Record<string, unknown>)[step] = change(child(node, step), rest, act);
  return copy;
}

function applyOne(document: unknown, operation: Operation): [unknown, Operation] {
  const path = steps(operation.path);
  if (path.length === 0) {
    if (operation.op === "remove") throw new Error("a document cannot be removed");
    return [operation.value, { op: "replace", path: "", value: document }];
  }
  let inverse: Operation | undefined;
  const changed = change(document, path, (parent, step) => {
    if (Array.isArray(parent)) {
      const index = step === "-" ? parent.length : Number(step);
      const at = `${operation.path.slice(0, operation.path.lastIndexOf("/"))}/${index}`;
      if (operation.op === "add") {
        parent.splice(index, 0, operation.value);
        inverse = { op: "remove", path: at };
      } else if (operation.op === "remove") {
        inverse = { op: "add", path: at, value: parent[index] };
        parent.splice(index, 1);
      } else {
        inverse = { op: "replace", path: at, value: parent[index] };
        parent[index] = operation.value;
      }
      return;
    }
    const had = step in parent;
    const before = parent[step];
    inverse = had
      ? { op: operation.op === "remove" ? "add" : "replace", path: operation.path, value: before }
      : { op: "remove", path: operation.path };
    if (operation.op === "remove") delete parent[step];
    else parent[step] = operation.value;
  });
  if (!inverse) throw new Error(`the operation at ${operation.path} did nothing`);
  return [changed, inverse];
}

/** Apply operations, and give the operations that take them back. */
export function applyOperations<T>(
  document: T,
  operations: Operation[],
): { document: T; inverse: Operation[] } {
  let changed: unknown = document;
  const inverse: Operation[] = [];
  for (const operation of operations) {
    const [next, back] = applyOne(changed, operation);
    changed = next;
    inverse.unshift(back);
  }
  return { document: changed as T, inverse };
}

/**
 * Operations one after the other, as few as say the same: a value that is replaced again at once is
 * written only the second time. What adds or removes may give paths another meaning, so nothing is
 * left out across it.
 */
export function joined(first: Operation[], second: Operation[]): Operation[] {
  const other = (operation: Operation) => operation.op !== "replace";
  const run = second.findIndex(other);
  const again = new Set((run < 0 ? second : second.slice(0, run)).map(({ path }) => path));
  const tail = first.findLastIndex(other) + 1;
  return [
    ...first.slice(0, tail),
    ...first.slice(tail).filter(({ path }) => !again.has(path)),
    ...second,
  ];
}

/** `next`, with every part that equals a part of `before` replaced by it, so that identity tells. */
export function shared<T>(before: T, next: T): T {
  if (Object.is(before, next)) return before;
  if (Array.isArray(before) && Array.isArray(next)) {
    const items = next.map((item, i) => (i < before.length ? shared(before[i], item) : item));
    return items.length === before.length && items.every((item, i) => item === before[i])
      ? before
      : (items as T);
  }
  if (before && next && typeof before === "object" && typeof next === "object") {
    if (Array.isArray(before) || Array.isArray(next)) return next;
    const old = before as Record<string, unknown>;
    const fresh = next as Record<string, unknown>;
    const keys = Object.keys(fresh);
    const out: Record<string, unknown> = {};
    let same = keys.length === Object.keys(old).length;
    for (const key of keys) {
      out[key] = key in old ? shared(old[key], fresh[key]) : fresh[key];
      if (out[key] !== old[key]) same = false;
    }
    return same ? before : (out as T);
  }
  return next;
}

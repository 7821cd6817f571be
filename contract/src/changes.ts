import { isObject } from "@hindglance/core/values";
import { type Operation, applyPatch, createPatch } from "rfc6902";
import * as yup from "yup";

/**
 * One step of a JSON Patch (RFC 6902). What is replaced or removed is tested first, so that a
 * change that was made on something else than what stands there now is noticed.
 */
export interface Change {
  op: "add" | "remove" | "replace" | "test";
  /** JSON Pointer to what is changed. */
  path: string;
  value?: unknown;
}

/** A change as the library takes it, below a root so that the whole can be replaced too. */
function operationOf({ op, path, value }: Change): Operation {
  const at = `/root${path}`;
  return op === "remove" ? { op, path: at } : { op, path: at, value: plain(value) };
}

/** Schema of changes as they travel: a list of RFC 6902 operations. */
export const changesSchema = yup
  .array(
    yup
      .object({
        op: yup
          .string()
          .oneOf(["add", "remove", "replace", "test"] as const)
          .required(),
        path: yup.string().max(500).defined(),
        value: yup.mixed().nullable(),
      })
      .required(),
  )
  .max(2000)
  .required();

const plain = <T>(value: T): T => JSON.parse(JSON.stringify(value ?? null)) as T;

/** What stands at a JSON Pointer; undefined where nothing does. */
function valueAt(value: unknown, pointer: string): unknown {
  const names = pointer
    .split("/")
    .slice(1)
    .map((name) => name.replaceAll("~1", "/").replaceAll("~0", "~"));
  return names.reduce<unknown>((at, name) => (isObject(at) ? at[name] : undefined), value);
}

/**
 * What turns one value into another, each replaced or removed part with a test of what was there.
 * Values are compared as JSON: a property that is undefined is absent.
 */
export function changesBetween(before: unknown, after: unknown): Change[] {
  const working = { root: plain(before) };
  const out: Change[] = [];
  for (const operation of createPatch(working, { root: plain(after) })) {
    const path = operation.path.replace(/^\/root/, "");
    if (operation.op === "replace" || operation.op === "remove") {
      const value: unknown = plain(valueAt(working, operation.path));
      out.push({ op: "test", path, value });
    }
    if (operation.op === "remove") {
      out.push({ op: "remove", path });
    } else if (operation.op === "add" || operation.op === "replace") {
      out.push({ op: operation.op, path, value: plain<unknown>(operation.value) });
    }
    applyPatch(working, [plain(operation)]);
  }
  return out;
}

/** Where changes do not fit what stands there now. `path`: of the first that does not. */
export class ChangedElsewhere extends Error {
  constructor(readonly path: string) {
    super(`${path || "The whole"} was changed meanwhile`);
    this.name = "ChangedElsewhere";
  }
}

/**
 * A value with changes made to it; the value itself stays as it is.
 * @throws ChangedElsewhere when a change was made on something that is no longer so
 */
export function withChanges<T>(value: T, changes: readonly Change[]): T {
  const working = { root: plain(value) };
  for (const change of changes) {
    const [failed] = applyPatch(working, [operationOf(change)]);
    if (failed) {
      throw new ChangedElsewhere(change.path);
    }
  }
  return working.root;
}

import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";

/** An image as the step that makes it, its parameters, and the images it is made from. */
export interface NodeSpec {
  step: string;
  params: Record<string, unknown>;
  inputs: NodeSpec[];
}

/**
 * JSON with keys in order and without undefined values: equal values give equal text. Refuses what
 * JSON would lose.
 */
export function canonicalJson(v: unknown): string {
  if (typeof v === "number" && !Number.isFinite(v)) {
    throw new TypeError(`${v} cannot be a parameter`);
  }
  if (Array.isArray(v)) {
    return `[${v.map(canonicalJson).join(",")}]`;
  }
  if (v && typeof v === "object") {
    return `{${Object.keys(v)
      .sort()
      .filter((k) => (v as Record<string, unknown>)[k] !== undefined)
      .map((k) => `${JSON.stringify(k)}:${canonicalJson((v as Record<string, unknown>)[k])}`)
      .join(",")}}`;
  }
  return JSON.stringify(v) ?? "null";
}

const known = new WeakMap<NodeSpec, string>();

/**
 * Identity of a node: SHA-256 over step, step version, parameters and the hashes of its inputs. Two
 * nodes with one hash
 * hold the same cells. 32 hexadecimal digits (128 bits).
 */
export function nodeHash(n: NodeSpec, versionOf: (step: string) => number): string {
  let h = known.get(n);
  if (!h) {
    h = bytesToHex(
      sha256(
        utf8ToBytes(
          canonicalJson({
            step: n.step,
            version: versionOf(n.step),
            params: n.params,
            inputs: n.inputs.map((i) => nodeHash(i, versionOf)),
          }),
        ),
      ),
    ).slice(0, 32);
    known.set(n, h);
  }
  return h;
}

/** All nodes below and including `n`, inputs first. */
export function walk(n: NodeSpec, visit: (n: NodeSpec) => void): void {
  n.inputs.forEach((i) => walk(i, visit));
  visit(n);
}

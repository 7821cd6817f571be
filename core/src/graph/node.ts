import { sha256 } from "@noble/hashes/sha2.js";
import { bytesToHex, utf8ToBytes } from "@noble/hashes/utils.js";
import { isRecord } from "../values";

/** An image as the step that makes it, its parameters, and the images it is made from. */
export interface NodeSpec {
  step: string;
  params: Record<string, unknown>;
  inputs: NodeSpec[];
}

/** Whether a value has the form of a node; whether its step is known is not looked at. */
export const isNodeSpec = (value: unknown): value is NodeSpec =>
  isRecord(value) &&
  typeof value.step === "string" &&
  isRecord(value.params) &&
  Array.isArray(value.inputs);

/** The node of a stored image. */
export const sourceNode = (image: string): NodeSpec => ({
  step: "source",
  params: { image },
  inputs: [],
});

/** A node of a step with its inputs. */
export const node = (
  step: string,
  params: Record<string, unknown>,
  ...inputs: NodeSpec[]
): NodeSpec => ({ step, params, inputs });

/**
 * JSON with keys in order and without undefined values: equal values give equal text. Refuses what
 * JSON would lose.
 */
export function canonicalJson(value: unknown): string {
  if (typeof value === "number" && !Number.isFinite(value)) {
    throw new TypeError(`${value} cannot be a parameter`);
  }
  if (Array.isArray(value)) {
    return `[${value.map(canonicalJson).join(",")}]`;
  }
  if (isRecord(value)) {
    return `{${Object.keys(value)
      .sort()
      .filter((k) => value[k] !== undefined)
      .map((k) => `${JSON.stringify(k)}:${canonicalJson(value[k])}`)
      .join(",")}}`;
  }
  return JSON.stringify(value) ?? "null";
}

const known = new WeakMap<NodeSpec, string>();

/**
 * Identity of a node: SHA-256 over step, step version, parameters and the hashes of its inputs. Two
 * nodes with one hash
 * hold the same cells. 32 hexadecimal digits (128 bits).
 */
export function nodeHash(node: NodeSpec, versionOf: (step: string) => number): string {
  let h = known.get(node);
  if (!h) {
    h = bytesToHex(
      sha256(
        utf8ToBytes(
          canonicalJson({
            step: node.step,
            version: versionOf(node.step),
            params: node.params,
            inputs: node.inputs.map((input) => nodeHash(input, versionOf)),
          }),
        ),
      ),
    ).slice(0, 32);
    known.set(node, h);
  }
  return h;
}

/** All nodes below and including `n`, inputs first. */
export function walk(node: NodeSpec, visit: (n: NodeSpec) => void): void {
  node.inputs.forEach((input) => walk(input, visit));
  visit(node);
}

/** Images that a graph reads, each once. */
export function imagesOf(node: NodeSpec): string[] {
  const images = new Set<string>();
  const seen = new Set<NodeSpec>();
  const look = (one: NodeSpec): void => {
    if (seen.has(one)) {
      return;
    }
    seen.add(one);
    if (one.step === "source") {
      images.add(String(one.params.image));
    }
    one.inputs.forEach(look);
  };
  look(node);
  return [...images];
}

import { InputError, messageOf } from "../errors";
import { type NodeSpec, nodeHash } from "../graph/node";
import { stepOf, versionOf } from "../graph/registry";
import { isRecord } from "../values";

/**
 * A node of a graph that is told from one server to another: its step and that step's version, its
 * parameters, and the places of its inputs among the nodes before it.
 */
export interface PackedNode {
  step: string;
  version: number;
  params: Record<string, unknown>;
  inputs: number[];
}

/** Stands where a node stood: its place among the packed nodes. */
export interface PackedRef {
  packedNode: number;
}

/** Nodes of a packed graph at the most. */
export const MOST_NODES = 20_000;

const isRef = (value: unknown): value is PackedRef =>
  isRecord(value) && Object.keys(value).length === 1 && typeof value.packedNode === "number";

/** The same node over images that are called otherwise; parts that several share stay shared. */
export function renamer(called: (image: string) => string): (node: NodeSpec) => NodeSpec {
  const known = new Map<NodeSpec, NodeSpec>();
  const rename = (one: NodeSpec): NodeSpec => {
    const found = known.get(one);
    if (found) {
      return found;
    }
    const made: NodeSpec =
      one.step === "source"
        ? { ...one, params: { ...one.params, image: called(String(one.params.image)) } }
        : { ...one, inputs: one.inputs.map(rename) };
    known.set(one, made);
    return made;
  };
  return rename;
}

/** Packs nodes, each that is alike once. */
export class GraphPacker {
  readonly nodes: PackedNode[] = [];
  private readonly places = new Map<string, number>();

  add(spec: NodeSpec): number {
    const hash = nodeHash(spec, versionOf);
    const known = this.places.get(hash);
    if (known !== undefined) {
      return known;
    }
    const inputs = spec.inputs.map((input) => this.add(input));
    const { step, params } = spec;
    const place = this.nodes.push({ step, version: versionOf(step), params, inputs }) - 1;
    this.places.set(hash, place);
    return place;
  }
}

/** @throws InputError where a node is none that this program can compute */
function requireNode({ step, version, params, inputs }: PackedNode, place: number): void {
  const field = `nodes[${place}]`;
  if (inputs.some((input) => !Number.isInteger(input) || input < 0 || input >= place)) {
    throw new InputError("A node has an input that does not come before it", field);
  }
  const current = versionOf(step);
  if (current !== version) {
    throw new InputError(
      `The step ${step} was version ${version} then and is ${current} now: it may give other cells`,
      field,
      "Use the version of the program that is told in the account.",
    );
  }
  if (step === "source") {
    return;
  }
  const known = stepOf(step);
  if (inputs.length < known.inputs.min || inputs.length > known.inputs.max) {
    throw new InputError(`The step ${step} does not take ${inputs.length} inputs`, field);
  }
  try {
    known.params.validateSync(params, { strict: true });
  } catch (error) {
    throw new InputError(`The step ${step}: ${messageOf(error)}`, field);
  }
}

/**
 * Nodes of a packed graph, in their order.
 * @throws InputError where one of them is none that this program can compute as it was
 */
export function unpackNodes(packed: readonly PackedNode[]): NodeSpec[] {
  if (packed.length > MOST_NODES) {
    throw new InputError(`More than ${MOST_NODES} nodes`, "nodes");
  }
  const made: NodeSpec[] = [];
  for (const [place, one] of packed.entries()) {
    requireNode(one, place);
    const { step, params, inputs } = one;
    made.push({ step, params, inputs: inputs.map((input) => made[input]!) });
  }
  return made;
}

/** A value with nodes in the place of what told them. @param nodeAt the node of a place; @throws InputError */
export function unpackIn(value: unknown, nodeAt: (place: number) => NodeSpec): unknown {
  if (isRef(value)) {
    return nodeAt(value.packedNode);
  }
  if (Array.isArray(value)) {
    return value.map((one: unknown) => unpackIn(one, nodeAt));
  }
  return isRecord(value)
    ? Object.fromEntries(Object.entries(value).map(([key, own]) => [key, unpackIn(own, nodeAt)]))
    : value;
}

/** Gives nodes by their places. @throws InputError where one is told that is not there */
export const placesIn =
  (nodes: readonly NodeSpec[]) =>
  (place: number): NodeSpec => {
    const found = nodes[place];
    if (!found) {
      throw new InputError("A node is told that is not there", "nodes");
    }
    return found;
  };

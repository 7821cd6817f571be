import * as yup from "yup";
import { ValidationError } from "yup";
import { classFields } from "../change/classFields";
import { InputError } from "../errors";
import { MOST_BINS } from "./bins";
import type { Forest, Tree } from "./forest";
import type { Model, ModelClass } from "./model";
import type { Signature } from "./signature";

/** What a text says that it is, and how it is laid out. */
const FORMAT = "hind-glance-model";
const VERSION = 1;
const MOST_INPUTS = 64;

/** A number of single precision in as few digits as give it back. */
const short = (value: number): number => Number(value.toPrecision(9));

const isLeaf = ({ left }: Tree, node: number): boolean => left[node] === node;

/** Shares of the leaves, in the order of the nodes. */
function leafShares(tree: Tree, classes: number): number[] {
  return [...tree.left.keys()]
    .filter((node) => isLeaf(tree, node))
    .flatMap((node) => [...tree.shares.subarray(node * classes, (node + 1) * classes)].map(short));
}

/**
 * A model as JSON text, for people and other programs: means and covariances, or edges of bins and
 * trees. `left` of a node is its left child, the right one follows it; a leaf is its own left child.
 * Shares are those of leaves alone, class by class.
 */
export function modelText(model: Model): string {
  const { kind, classes, inputs } = model;
  const head = { format: FORMAT, version: VERSION, kind, inputs, classes };
  if (model.kind === "signatures") {
    const signatures = model.signatures.map(({ count, mean, covariance }) => ({
      ...{ count, mean: [...mean], covariance: [...covariance] },
    }));
    return JSON.stringify({ ...head, signatures });
  }
  const { forest } = model;
  return JSON.stringify({
    ...head,
    edges: forest.bins.map(({ edges }) => [...edges]),
    trees: forest.trees.map((tree) => ({
      ...{ depth: tree.depth, band: [...tree.band], bin: [...tree.bin], left: [...tree.left] },
      shares: leafShares(tree, forest.classes),
    })),
    outOfBag: forest.outOfBag,
    importance: [...forest.importance],
  });
}

const numbers = () => yup.array(yup.number().required()).required();
const bytes = () =>
  yup
    .array(
      yup
        .number()
        .integer()
        .min(0)
        .max(MOST_BINS - 1)
        .required(),
    )
    .required();

const headSchema = yup.object({
  format: yup.string().oneOf([FORMAT]).required(),
  version: yup.number().oneOf([VERSION]).required(),
  kind: yup
    .string()
    .oneOf(["signatures", "forest"] as const)
    .required(),
  inputs: yup.array(yup.string().required()).min(1).max(MOST_INPUTS).required(),
  classes: yup.array(yup.object(classFields)).min(2).max(254).required(),
});
type Head = yup.InferType<typeof headSchema>;

const signaturesSchema = yup.object({
  signatures: yup
    .array(
      yup.object({
        count: yup.number().integer().min(1).required(),
        mean: numbers(),
        covariance: numbers(),
      }),
    )
    .required(),
});

const forestSchema = yup.object({
  edges: yup.array(numbers().max(MOST_BINS - 1)).required(),
  trees: yup
    .array(
      yup.object({
        depth: yup.number().integer().min(0).max(64).required(),
        band: bytes(),
        bin: bytes(),
        left: yup.array(yup.number().integer().min(0).max(65_535).required()).required(),
        shares: numbers(),
      }),
    )
    .min(1)
    .max(2000)
    .required(),
  outOfBag: yup
    .object({
      cells: yup.number().integer().min(0).required(),
      wrong: yup.number().integer().min(0).required(),
    })
    .required(),
  importance: numbers(),
});

const wrong = (message: string): InputError =>
  new InputError(`The model cannot be used: ${message}`, "model", "Export it anew.");

/** A value as a schema has it. @throws InputError naming the place */
function checked<T>(schema: yup.Schema<T>, value: unknown): T {
  try {
    return schema.validateSync(value, { strict: true });
  } catch (error) {
    if (error instanceof ValidationError) {
      throw wrong(error.message);
    }
    throw error;
  }
}

/** @throws InputError unless all numbers are finite and there are as many as must be */
function requireNumbers(what: string, values: readonly number[], count: number): void {
  if (values.length !== count || !values.every(Number.isFinite)) {
    throw wrong(`${what} are not ${count} numbers`);
  }
}

function signaturesFrom(head: Head, value: unknown): Signature[] {
  const { signatures } = checked(signaturesSchema, value);
  const bands = head.inputs.length;
  if (signatures.length !== head.classes.length) {
    throw wrong(`it has ${head.classes.length} classes and ${signatures.length} signatures`);
  }
  return signatures.map(({ count, mean, covariance }, k) => {
    const { name } = head.classes[k]!;
    requireNumbers(`the means of ${name}`, mean, bands);
    requireNumbers(`the covariances of ${name}`, covariance, bands * bands);
    return {
      count,
      mean: Float64Array.from(mean),
      covariance: Float64Array.from(covariance),
    };
  });
}

type TreeText = yup.InferType<typeof forestSchema>["trees"][number];

/** @throws InputError where a tree leads nowhere, in a circle, or asks for what there is not */
function requireTree({ band, bin, left, depth }: TreeText, inputs: number): void {
  const nodes = left.length;
  const deep = new Uint8Array(nodes);
  if (nodes === 0 || band.length !== nodes || bin.length !== nodes) {
    throw wrong("the nodes of a tree are not whole");
  }
  left.forEach((child, node) => {
    if (child !== node && (child <= node || child + 1 >= nodes || band[node]! >= inputs)) {
      throw wrong(`node ${node} of a tree leads nowhere`);
    }
    if (child !== node) {
      deep[child] = deep[child + 1] = deep[node]! + 1;
    }
    if (deep[node]! > depth) {
      throw wrong("a tree is deeper than it says");
    }
  });
}

function treeFrom(text: TreeText, inputs: number, classes: number): Tree {
  requireTree(text, inputs);
  const left = Uint16Array.from(text.left);
  const leaves = text.left.filter((child, node) => child === node).length;
  requireNumbers("the shares of a tree", text.shares, leaves * classes);
  const shares = new Float32Array(left.length * classes);
  let at = 0;
  text.left.forEach((child, node) => {
    if (child === node) {
      shares.set(text.shares.slice(at, at + classes), node * classes);
      at += classes;
    }
  });
  return {
    ...{ left, shares, depth: text.depth },
    band: Uint8Array.from(text.band),
    bin: Uint8Array.from(text.bin),
  };
}

function forestFrom(head: Head, value: unknown): Forest {
  const { edges, trees, outOfBag, importance } = checked(forestSchema, value);
  const inputs = head.inputs.length;
  if (edges.length !== inputs) {
    throw wrong(`it has ${inputs} inputs and edges of ${edges.length}`);
  }
  requireNumbers("the importances", importance, inputs);
  const bins = edges.map((all, band) => {
    requireNumbers(`the edges of ${head.inputs[band]!}`, all, all.length);
    if (all.some((edge, i) => i > 0 && edge <= all[i - 1]!)) {
      throw wrong(`the edges of ${head.inputs[band]!} do not ascend`);
    }
    return { edges: Float64Array.from(all) };
  });
  const classes = head.classes.length;
  return {
    ...{ classes, bins, outOfBag },
    trees: trees.map((tree) => treeFrom(tree, inputs, classes)),
    importance: Float64Array.from(importance),
  };
}

/** @throws InputError where two classes have one label */
function requireLabels(classes: readonly ModelClass[]): void {
  const labels = classes.map(({ label }) => label);
  const twice = labels.find((label, k) => labels.indexOf(label) !== k);
  if (twice !== undefined) {
    throw wrong(`two classes have the label ${twice}`);
  }
}

/**
 * A model from its JSON text.
 * @throws InputError naming what is wrong with it: no text of a model, numbers that are missing or
 * none, trees that lead nowhere
 */
export function modelFrom(text: string): Model {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw wrong("it is no JSON");
  }
  const head = checked(headSchema, value);
  requireLabels(head.classes);
  const { inputs, classes } = head;
  return head.kind === "signatures"
    ? { kind: "signatures", inputs, classes, signatures: signaturesFrom(head, value) }
    : { kind: "forest", inputs, classes, forest: forestFrom(head, value) };
}

import jsep from "jsep";
import { InputError, messageOf } from "../errors";

/** A formula that cannot be computed, with the place in its text: first character and length. */
export class FormulaError extends InputError {
  override name = "FormulaError";
  constructor(
    message: string,
    readonly at: number,
    readonly length: number,
    hint?: string,
  ) {
    super(message, "formula", hint);
  }
}

/** Arithmetic over names: numbers, bands, + − * / ^, and a few functions. */
export type Term =
  | { kind: "number"; value: number }
  | { kind: "band"; name: string }
  | { kind: Operation; a: Term; b: Term }
  | { kind: "call"; name: FunctionName; args: Term[] };

/** Functions of a formula and how many values they take. */
export const FUNCTIONS = {
  sqrt: 1,
  abs: 1,
  log: 1,
  log10: 1,
  exp: 1,
  min: 2,
  max: 2,
  atan2: 2,
} as const;

/** Name of a function. */
export type FunctionName = keyof typeof FUNCTIONS;

/** A formula that was read. */
export interface Formula {
  text: string;
  term: Term;
  /** Bands in the order of their first use. */
  uses: string[];
}

type Operation = "sum" | "difference" | "product" | "quotient" | "power";

const OPERATORS: Record<string, Operation> = {
  "+": "sum",
  "-": "difference",
  "*": "product",
  "/": "quotient",
  "^": "power",
};
// The caret is a power here, which binds stronger than a product and to the right.
jsep.removeAllBinaryOps();
for (const [op, strength] of [
  ["+", 9],
  ["-", 9],
  ["*", 10],
  ["/", 10],
] as const) {
  jsep.addBinaryOp(op, strength);
}
jsep.addBinaryOp("^", 11, true);
jsep.removeAllUnaryOps();
for (const op of ["-", "+"]) {
  jsep.addUnaryOp(op);
}
jsep.removeAllLiterals();

const MAX_LENGTH = 2000;
const MAX_DEPTH = 200;

/** Nodes of the parser that a formula can have. */
type Node =
  | jsep.Literal
  | jsep.Identifier
  | jsep.MemberExpression
  | jsep.UnaryExpression
  | jsep.BinaryExpression
  | jsep.CallExpression
  | jsep.Compound;

const NODES: ReadonlySet<string> = new Set<Node["type"]>([
  "Literal",
  "Identifier",
  "MemberExpression",
  "UnaryExpression",
  "BinaryExpression",
  "CallExpression",
  "Compound",
]);
const isNode = (expression: jsep.Expression): expression is Node => NODES.has(expression.type);
const isIdentifier = (expression: jsep.Expression): expression is jsep.Identifier =>
  expression.type === "Identifier";

const isFunction = (name: string): name is FunctionName => Object.hasOwn(FUNCTIONS, name);

/** @throws FormulaError where there is nothing, or too much */
function requireLength(text: string, bands: readonly string[]): void {
  if (text.trim() === "") {
    throw new FormulaError("The formula is empty", 0, text.length, `Bands: ${bands.join(", ")}`);
  }
  if (text.length > MAX_LENGTH) {
    throw new FormulaError(
      `The formula is longer than ${MAX_LENGTH} characters`,
      MAX_LENGTH,
      text.length - MAX_LENGTH,
    );
  }
}

/** @throws FormulaError where a sign means nothing, or could mean two things */
function requireClear(plain: string): void {
  const stray = /[^\w\s.+\-*/^(),]/.exec(plain);
  if (stray) {
    throw new FormulaError(
      `"${stray[0]}" has no meaning in a formula`,
      stray.index,
      1,
      "Use + − * / ^ and parentheses.",
    );
  }
  const unclear = /[*/^]\s*[-+]\s*[\w.]+\s*\^/.exec(plain);
  if (unclear) {
    throw new FormulaError(
      "A sign between an operator and a power is unclear",
      unclear.index,
      unclear[0].length,
      "Put parentheses around it.",
    );
  }
}

/** What the parser says of a text that it cannot read: where, and why. */
function faultOf(error: unknown, length: number): { index: number; why: string } {
  const found = typeof error === "object" && error !== null ? error : {};
  const index = "index" in found ? Number(found.index) : length;
  const why = "description" in found ? String(found.description) : messageOf(error);
  return { index, why: why.replace(/ at character \d+$/, "").toLowerCase() };
}

/** The tree of a formula. @throws FormulaError at the place in `plain` where it cannot be read */
function treeOf(plain: string): jsep.Expression {
  const signed = signsAsDifferences(plain);
  try {
    return jsep(signed.text);
  } catch (error) {
    const { index, why } = faultOf(error, signed.text.length);
    const at = Math.min(index - signed.added.filter((i) => i < index).length, plain.length);
    throw new FormulaError(
      at >= plain.trimEnd().length
        ? "The formula ends too early"
        : `The formula cannot be read here (${why})`,
      Math.min(at, Math.max(0, plain.length - 1)),
      1,
    );
  }
}

/** Makes terms of the parser's nodes; names are met in the order of the text. */
class Reader {
  /** Bands in the order of their first use. */
  readonly uses: string[] = [];
  private readonly seen = new Map<string, number>();
  constructor(
    private readonly plain: string,
    private readonly bands: readonly string[],
  ) {}

  /** @throws FormulaError where it is no arithmetic of known names */
  term(expression: jsep.Expression, depth = 0): Term {
    if (depth > MAX_DEPTH) {
      throw new FormulaError("The formula is nested too deeply", 0, this.plain.length);
    }
    if (!isNode(expression)) {
      throw this.noArithmetic();
    }
    switch (expression.type) {
      case "Literal":
        return this.number(expression);
      case "Identifier":
        return this.band(expression.name);
      case "MemberExpression":
        return this.band(this.nameOfTwo(expression));
      case "UnaryExpression": {
        const b = this.term(expression.argument, depth + 1);
        const a: Term = { kind: "number", value: 0 };
        return expression.operator === "-" ? { kind: "difference", a, b } : b;
      }
      case "BinaryExpression":
        return {
          kind: OPERATORS[expression.operator]!,
          a: this.term(expression.left, depth + 1),
          b: this.term(expression.right, depth + 1),
        };
      case "CallExpression":
        return this.call(expression, depth);
      default:
        throw new FormulaError(
          "An operator is missing between two parts",
          gapOf(this.plain),
          1,
          "Write a product with *.",
        );
    }
  }

  /** Where the next use of a name stands. */
  private place(name: string): number {
    const escaped = name.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
    const pattern = new RegExp(`(?<![\\w.])${escaped}(?![\\w])`, "g");
    pattern.lastIndex = this.seen.get(name) ?? 0;
    const match = pattern.exec(this.plain);
    if (match) {
      this.seen.set(name, match.index + name.length);
    }
    return match?.index ?? 0;
  }

  private noArithmetic(): FormulaError {
    return new FormulaError(
      "Only arithmetic can be used in a formula",
      0,
      this.plain.length,
      "Use + − * / ^ and parentheses.",
    );
  }

  private number({ value, raw }: jsep.Literal): Term {
    if (typeof value !== "number" || !Number.isFinite(value)) {
      throw new FormulaError(`${raw} is no number`, this.place(raw), raw.length);
    }
    return { kind: "number", value };
  }

  private band(name: string): Term {
    const at = this.place(name);
    const { bands, uses } = this;
    const band =
      bands.find((one) => one === name) ??
      bands.find((one) => one.toLowerCase() === name.toLowerCase());
    if (band === undefined) {
      throw new FormulaError(
        isFunction(name.toLowerCase())
          ? `${name} is a function and needs parentheses`
          : `There is no band called "${name}"`,
        at,
        name.length,
        `Bands: ${bands.join(", ")}`,
      );
    }
    if (!uses.includes(band)) {
      uses.push(band);
    }
    return { kind: "band", name: band };
  }

  /** A name of two parts, as before.NBR, where such names are offered. */
  private nameOfTwo({ computed, object, property }: jsep.MemberExpression): string {
    const isOffered = this.bands.some((band) => band.includes("."));
    if (!isOffered || computed || !isIdentifier(object) || !isIdentifier(property)) {
      throw this.noArithmetic();
    }
    return `${object.name}.${property.name}`;
  }

  private call({ callee, arguments: values }: jsep.CallExpression, depth: number): Term {
    const name = isIdentifier(callee) ? callee.name : "";
    const at = this.place(name);
    const called = name.toLowerCase();
    if (!isFunction(called)) {
      throw new FormulaError(
        `There is no function called "${name}"`,
        at,
        name.length,
        `Functions: ${Object.keys(FUNCTIONS).join(", ")}`,
      );
    }
    const takes = FUNCTIONS[called];
    if (values.length !== takes) {
      throw new FormulaError(
        `${called} takes ${takes === 1 ? "one value" : `${takes} values`}, not ${values.length}`,
        at,
        name.length,
      );
    }
    return { kind: "call", name: called, args: values.map((value) => this.term(value, depth + 1)) };
  }
}

/**
 * Reads a formula in ordinary arithmetic. Case does not matter in names of functions; bands are
 * found as they are written, then regardless of case.
 * @param bands names that may be used
 * @throws FormulaError pointing at what is wrong: syntax, a name that is no band, a function that
 * is not known, something that is no arithmetic
 */
export function parseFormula(text: string, bands: readonly string[]): Formula {
  requireLength(text, bands);
  // Signs as people type and paste them.
  const plain = text.replace(/[−–]/g, "-").replace(/[×·]/g, "*").replace(/÷/g, "/");
  requireClear(plain);
  const reader = new Reader(plain, bands);
  const term = reader.term(treeOf(plain));
  if (reader.uses.length === 0) {
    throw new FormulaError(
      "The formula uses no band",
      0,
      text.length,
      `Bands: ${bands.join(", ")}`,
    );
  }
  return { text, term, uses: reader.uses };
}

/**
 * A sign in front of a term as a difference from nought, so that −x² is −(x²); `added`: places
 * where a nought was put in.
 */
function signsAsDifferences(s: string): { text: string; added: number[] } {
  const out: string[] = [];
  const added: number[] = [];
  let last = -1;
  for (const ch of s) {
    const before = last < 0 ? "(" : out[last]!;
    if (ch === "-" && (before === "(" || before === ",")) {
      added.push(out.length);
      out.push("0");
    } else if (ch === "-" && before === "+") {
      out[last] = " ";
    } else if (ch === "-" && before === "-") {
      out[last] = "+";
      out.push(" ");
      continue;
    }
    if (ch.trim()) {
      last = out.length;
    }
    out.push(ch);
  }
  return { text: out.join(""), added };
}

/** First place where a value follows a value with only space or a comma between. */
const gapOf = (s: string): number => {
  const match = /[\w)]\s*[\s,]\s*(?=[\w(])/.exec(
    s.replace(/\([^()]*\)/g, (x) => "x".repeat(x.length)),
  );
  return match ? match.index + match[0].length : 0;
};

/**
 * Computes a formula over arrays, one operation at a time. NaN stays NaN; division by zero, roots
 * and logarithms of what has none are NaN too, never
 * infinite. Arithmetic is in doubles, the result is rounded to single precision.
 * @param band values of a band by name, n cells
 */
export function evaluateFormula(
  formula: Formula,
  band: (name: string) => Float32Array,
  n: number,
  out: Float32Array,
): void {
  const spare: Float64Array[] = [];
  const take = () => spare.pop() ?? new Float64Array(n);
  const give = (a: Float64Array) => {
    spare.push(a);
  };
  const run = (term: Term): Float64Array => {
    const output = take();
    if (term.kind === "number") {
      return output.fill(term.value);
    }
    if (term.kind === "band") {
      const src = band(term.name);
      for (let i = 0; i < n; i++) {
        output[i] = src[i]!;
      }
      return output;
    }
    if (term.kind === "call") {
      const a = run(term.args[0]!);
      const b = term.args[1] ? run(term.args[1]) : null;
      FUNCTION_LOOPS[term.name](a, b ?? a, output, n);
      give(a);
      if (b) {
        give(b);
      }
      return output;
    }
    const a = run(term.a);
    const b = run(term.b);
    OPERATOR_LOOPS[term.kind](a, b, output, n);
    give(a);
    give(b);
    return output;
  };
  const r = run(formula.term);
  for (let i = 0; i < n; i++) {
    const value = r[i]!;
    out[i] = value - value === 0 ? value : NaN;
  }
}

type Loop = (a: Float64Array, b: Float64Array, out: Float64Array, n: number) => void;
const OPERATOR_LOOPS: Record<Operation, Loop> = {
  sum: (a, b, out, n) => {
    for (let i = 0; i < n; i++) {
      out[i] = a[i]! + b[i]!;
    }
  },
  difference: (a, b, out, n) => {
    for (let i = 0; i < n; i++) {
      out[i] = a[i]! - b[i]!;
    }
  },
  product: (a, b, out, n) => {
    for (let i = 0; i < n; i++) {
      out[i] = a[i]! * b[i]!;
    }
  },
  quotient: (a, b, out, n) => {
    for (let i = 0; i < n; i++) {
      out[i] = b[i] === 0 ? NaN : a[i]! / b[i]!;
    }
  },
  power: (a, b, out, n) => {
    for (let i = 0; i < n; i++) {
      out[i] = a[i]! ** b[i]!;
    }
  },
};
const each =
  (apply: (x: number) => number): Loop =>
  (a, _b, out, n) => {
    for (let i = 0; i < n; i++) {
      out[i] = apply(a[i]!);
    }
  };
const both =
  (apply: (x: number, y: number) => number): Loop =>
  (a, b, out, n) => {
    for (let i = 0; i < n; i++) {
      out[i] = apply(a[i]!, b[i]!);
    }
  };
const FUNCTION_LOOPS: Record<FunctionName, Loop> = {
  sqrt: each(Math.sqrt),
  abs: each(Math.abs),
  log: each((x) => (x > 0 ? Math.log(x) : NaN)),
  log10: each((x) => (x > 0 ? Math.log10(x) : NaN)),
  exp: each(Math.exp),
  min: both(Math.min),
  max: both(Math.max),
  atan2: both(Math.atan2),
};

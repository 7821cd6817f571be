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
  | { kind: "sum" | "difference" | "product" | "quotient" | "power"; a: Term; b: Term }
  | { kind: "call"; name: FunctionName; args: Term[] };
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
export type FunctionName = keyof typeof FUNCTIONS;
export interface Formula {
  text: string;
  term: Term;
  /** Bands in the order of their first use. */ uses: string[];
}

const OPERATORS: Record<string, "sum" | "difference" | "product" | "quotient" | "power"> = {
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

/**
 * Reads a formula in ordinary arithmetic. Case does not matter in names of functions; bands are
 * found as they are written, then regardless of case.
 * @param bands names that may be used
 * @throws FormulaError pointing at what is wrong: syntax, a name that is no band, a function that
 * is not known, something that is no arithmetic
 */
export function parseFormula(text: string, bands: readonly string[]): Formula {
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
  // Signs as people type and paste them.
  const plain = text.replace(/[−–]/g, "-").replace(/[×·]/g, "*").replace(/÷/g, "/");
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
  const signed = signsAsDifferences(plain);
  let tree: jsep.Expression;
  try {
    tree = jsep(signed.text);
  } catch (error) {
    const found = Number((error as { index?: number }).index ?? signed.text.length);
    const at = Math.min(found - signed.added.filter((i) => i < found).length, plain.length);
    const what = String(
      (error as { description?: string }).description ?? messageOf(error),
    ).replace(/ at character \d+$/, "");
    throw new FormulaError(
      at >= plain.trimEnd().length
        ? "The formula ends too early"
        : `The formula cannot be read here (${what.toLowerCase()})`,
      Math.min(at, Math.max(0, plain.length - 1)),
      1,
    );
  }
  const uses: string[] = [];
  const seen = new Map<string, number>();
  /** Where the next use of a name stands: names are met in the order of the text. */
  const place = (name: string): number => {
    const regExp = new RegExp(
      `(?<![\\w.])${name.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")}(?![\\w])`,
      "g",
    );
    regExp.lastIndex = seen.get(name) ?? 0;
    const match = regExp.exec(plain);
    if (match) {
      seen.set(name, match.index + name.length);
    }
    return match?.index ?? 0;
  };
  const named = (name: string): Term => {
    const at = place(name);
    const band =
      bands.find((b) => b === name) ?? bands.find((b) => b.toLowerCase() === name.toLowerCase());
    if (band === undefined) {
      throw new FormulaError(
        name.toLowerCase() in FUNCTIONS
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
  };
  const visit = (expression: jsep.Expression, depth: number): Term => {
    if (depth > MAX_DEPTH) {
      throw new FormulaError("The formula is nested too deeply", 0, plain.length);
    }
    switch (expression.type) {
      case "Literal": {
        const value = (expression as jsep.Literal).value;
        if (typeof value !== "number" || !Number.isFinite(value)) {
          throw new FormulaError(
            `${String((expression as jsep.Literal).raw)} is no number`,
            place(String((expression as jsep.Literal).raw)),
            String((expression as jsep.Literal).raw).length,
          );
        }
        return { kind: "number", value };
      }
      case "Identifier":
        return named((expression as jsep.Identifier).name);
      case "MemberExpression": {
        // A name of two parts, as before.NBR, where such names are offered.
        const memberExpression = expression as jsep.MemberExpression;
        const parts =
          !bands.some((band) => band.includes(".")) ||
          memberExpression.computed ||
          memberExpression.object.type !== "Identifier" ||
          memberExpression.property.type !== "Identifier"
            ? null
            : [
                (memberExpression.object as jsep.Identifier).name,
                (memberExpression.property as jsep.Identifier).name,
              ];
        if (!parts) {
          throw new FormulaError(
            "Only arithmetic can be used in a formula",
            0,
            plain.length,
            "Use + − * / ^ and parentheses.",
          );
        }
        return named(parts.join("."));
      }
      case "UnaryExpression": {
        const unaryExpression = expression as jsep.UnaryExpression;
        const a = visit(unaryExpression.argument, depth + 1);
        return unaryExpression.operator === "-"
          ? { kind: "difference", a: { kind: "number", value: 0 }, b: a }
          : a;
      }
      case "BinaryExpression": {
        const binaryExpression = expression as jsep.BinaryExpression;
        return {
          kind: OPERATORS[binaryExpression.operator]!,
          a: visit(binaryExpression.left, depth + 1),
          b: visit(binaryExpression.right, depth + 1),
        };
      }
      case "CallExpression": {
        const callExpression = expression as jsep.CallExpression;
        const name = String((callExpression.callee as jsep.Identifier).name ?? "");
        const at = place(name);
        const called = name.toLowerCase() as FunctionName;
        if (!Object.hasOwn(FUNCTIONS, called)) {
          throw new FormulaError(
            `There is no function called "${name}"`,
            at,
            name.length,
            `Functions: ${Object.keys(FUNCTIONS).join(", ")}`,
          );
        }
        if (callExpression.arguments.length !== FUNCTIONS[called]) {
          throw new FormulaError(
            `${called} takes ${FUNCTIONS[called] === 1 ? "one value" : `${FUNCTIONS[called]} values`}, not ${callExpression.arguments.length}`,
            at,
            name.length,
          );
        }
        return {
          kind: "call",
          name: called,
          args: callExpression.arguments.map((argument) => visit(argument, depth + 1)),
        };
      }
      case "Compound":
        throw new FormulaError(
          "An operator is missing between two parts",
          gapOf(plain),
          1,
          "Write a product with *.",
        );
      default:
        throw new FormulaError(
          "Only arithmetic can be used in a formula",
          0,
          plain.length,
          "Use + − * / ^ and parentheses.",
        );
    }
  };
  const term = visit(tree, 0);
  if (uses.length === 0) {
    throw new FormulaError(
      "The formula uses no band",
      0,
      text.length,
      `Bands: ${bands.join(", ")}`,
    );
  }
  return { text, term, uses };
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
const OPERATOR_LOOPS: Record<"sum" | "difference" | "product" | "quotient" | "power", Loop> = {
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
  (fraction: (x: number) => number): Loop =>
  (a, _b, out, n) => {
    for (let i = 0; i < n; i++) {
      out[i] = fraction(a[i]!);
    }
  };
const both =
  (fraction: (x: number, y: number) => number): Loop =>
  (a, b, out, n) => {
    for (let i = 0; i < n; i++) {
      out[i] = fraction(a[i]!, b[i]!);
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

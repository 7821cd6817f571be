import * as yup from "yup";
import { Workspace } from "../wasm/kernels";
import { classFields } from "./classFields";
import { twinMessage, twinName } from "./twinNames";

export const LAYERS = [
  "before",
  "after",
  "measure",
  "slope",
  "elevation",
  "drainage",
  "cover",
  "beforeNear",
  "afterNear",
  "measureNear",
  "measurePeak",
  "measureWide",
  "crossBefore",
  "crossAfter",
  "apart",
  "redChange",
  "nirChange",
  "swirChange",
  "secondBefore",
  "secondAfter",
  "secondChange",
] as const;
export type Layer = (typeof LAYERS)[number];
/** Layers of a second sensor. */
export type SecondLayer = Extract<Layer, `second${string}`>;
/** The last two are for layers of labels. */
export const OPERATORS = ["<", "<=", ">", ">=", "=", "!="] as const;
export type Operator = (typeof OPERATORS)[number];

/** One comparison in the layer's real unit. */
export interface Condition {
  layer: Layer;
  op: Operator;
  value: number;
}
/**
 * A class of a change map: a cell takes the first class all of whose conditions hold. Labels are 1
 * to 254.
 */
export interface ClassRule {
  label: number;
  name: string;
  color: string;
  all: Condition[];
  /** The class is kept, but takes no cells. */
  off?: boolean;
}

/** Classes that take cells. */
export const rulesOn = (rules: readonly ClassRule[]): ClassRule[] =>
  rules.flatMap(({ off, ...rule }) => (off ? [] : [rule]));

export const conditionSchema = yup
  .object({
    layer: yup.string().oneOf(LAYERS).required(),
    op: yup.string().oneOf(OPERATORS).required(),
    value: yup
      .number()
      .required()
      .test("finite", "must be a finite number", (value) => Number.isFinite(value)),
  })
  .noUnknown();

export const classRuleSchema = yup
  .object({
    ...classFields,
    all: yup
      .array(conditionSchema)
      .min(1, "A class needs one condition or more")
      .max(12)
      .required(),
    off: yup.boolean(),
  })
  .noUnknown();

/** Schema of the classes of a map: each with a name and conditions of its own. */
export const rulesSchema = yup
  .array(classRuleSchema)
  .min(1)
  .max(64)
  .required()
  .test("names", twinMessage, (rules) => !twinName(rules));

/**
 * Labels cells by rules. Layers are real-valued, NaN = nodata; a cell that is nodata in any given
 * layer that stands in
 * `required` is nodata (255) in the result; a condition over another nodata layer does not hold. No
 * rule holds: 0.
 *
 * @param layers one array a name, all of out's length; @param required layers that must be seen,
 * usually before and after
 */
export function applyRules(
  layers: Partial<Record<Layer, Float32Array>>,
  rules: readonly ClassRule[],
  required: readonly Layer[],
  out: Uint8Array,
): void {
  const workspace = Workspace.begin();
  const n = out.length;
  const size = Math.min(n, CHUNK);
  const count = rules.reduce((s, classRule) => s + classRule.all.length, 0);
  const table = workspace.take(rules.length * 8);
  const conditions = workspace.take(count * 12);
  const seen = workspace.take(required.length * 4);
  const to = workspace.take(size);
  const names = [
    ...new Set([
      ...rules.flatMap((rule) => rule.all.map((condition) => condition.layer)),
      ...required.filter((layerName) => layers[layerName]),
    ]),
  ];
  const at = new Map(names.map((name) => [name, workspace.take(size * 4)]));
  const rows = workspace.u32(table, rules.length * 2);
  const cond = workspace.u32(conditions, count * 3);
  const value = workspace.f32(conditions, count * 3);
  let k = 0;
  [...rules].reverse().forEach((rule, i) => {
    rows[i * 2] = rule.label;
    rows[i * 2 + 1] = rule.all.length;
    for (const condition of rule.all) {
      if (!layers[condition.layer]) {
        throw new RangeError(
          `The rule "${rule.name}" asks for ${condition.layer}, which was not given`,
        );
      }
      cond[k * 3] = at.get(condition.layer)!;
      cond[k * 3 + 1] = OPERATORS.indexOf(condition.op);
      value[k * 3 + 2] = boundFor(condition);
      k++;
    }
  });
  const watched = required.filter((layerName) => layers[layerName]);
  workspace.u32(seen, watched.length).set(watched.map((layerName) => at.get(layerName)!));
  for (let i = 0; i < n; i += size) {
    const m = Math.min(size, n - i);
    for (const [name, place] of at) {
      workspace.f32(place, m).set(layers[name]!.subarray(i, i + m));
    }
    workspace.kernels.labelByRules(table, rules.length, conditions, seen, watched.length, to, m);
    out.set(workspace.u8(to, m), i);
  }
}

/** Cells labelled at a time: a few layers of them stay in the processor's cache. */
const CHUNK = 1 << 12;
const step = new Float32Array(1);
const stepBits = new Int32Array(step.buffer);

/**
 * The 32-bit bound that decides for every 32-bit cell as the given one does: a bound between two
 * 32-bit numbers is moved up for
 * < and >=, down for > and <=.
 */
function boundFor(condition: Condition): number {
  const near = Math.fround(condition.value);
  // Cells are 32-bit: what was typed is the cell that is nearest to it.
  if (condition.op === "=" || condition.op === "!=") {
    return near;
  }
  const up = condition.op === "<" || condition.op === ">=";
  if (near === condition.value || near > condition.value === up) {
    return near;
  }
  step[0] = near;
  if (near === 0) {
    return up ? 2 ** -149 : -(2 ** -149);
  }
  stepBits[0]! += near > 0 === up ? 1 : -1;
  return step[0];
}

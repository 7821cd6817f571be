import * as yup from 'yup';
import { CLASS_NODATA } from '../raster/block';

export const LAYERS = ['before', 'after', 'measure', 'slope', 'elevation'] as const;
export type Layer = (typeof LAYERS)[number];
export const OPERATORS = ['<', '<=', '>', '>='] as const;
export type Operator = (typeof OPERATORS)[number];

/** One comparison in the layer's real unit. */
export interface Condition { layer: Layer; op: Operator; value: number }
/** A class of a change map: a cell takes the first class all of whose conditions hold. Labels are 1 to 254. */
export interface ClassRule { label: number; name: string; color: string; all: Condition[] }

export const conditionSchema = yup.object({
  layer: yup.string().oneOf(LAYERS).required(),
  op: yup.string().oneOf(OPERATORS).required(),
  value: yup.number().required().test('finite', 'must be a finite number', (v) => Number.isFinite(v)),
}).noUnknown();

export const classRuleSchema = yup.object({
  label: yup.number().integer().min(1).max(254).required(),
  name: yup.string().trim().min(1).max(60).required(),
  color: yup.string().matches(/^#[0-9a-f]{6}$/i, 'must be a colour like #c8246f').required(),
  all: yup.array(conditionSchema).min(1, 'A class needs one condition or more').max(12).required(),
}).noUnknown();

/**
 * Labels cells by rules. Layers are real-valued, NaN = nodata; a cell that is nodata in any given layer that stands in
 * `required` is nodata (255) in the result; a condition over another nodata layer does not hold. No rule holds: 0.
 *
 * @param layers one array a name, all of out's length; @param required layers that must be seen, usually before and after
 */
export function applyRules(layers: Partial<Record<Layer, Float32Array>>, rules: readonly ClassRule[], required: readonly Layer[], out: Uint8Array): void {
  const n = out.length;
  out.fill(0);
  // Later rules first, so that an earlier one overwrites: one pass a rule over plain arrays, nothing decided inside.
  for (let k = rules.length - 1; k >= 0; k--) {
    const conds = rules[k]!.all.map((c) => {
      const a = layers[c.layer];
      if (!a) throw new RangeError(`The rule "${rules[k]!.name}" asks for ${c.layer}, which was not given`);
      return { a, sign: c.op[0] === '<' ? 1 : -1, value: c.value, equal: c.op.length === 2 };
    });
    mark(conds, rules[k]!.label, out, n);
  }
  for (const name of required) {
    const a = layers[name];
    if (!a) continue;
    for (let i = 0; i < n; i++) { const v = a[i]!; if (v !== v) out[i] = CLASS_NODATA; }
  }
}

interface Compiled { a: Float32Array; sign: number; value: number; equal: boolean }

/** Writes the label where every condition holds. sign·v < sign·value turns > into <; NaN fails both. */
function mark(conds: Compiled[], label: number, out: Uint8Array, n: number): void {
  if (conds.every((c) => !c.equal) && conds.length <= 2) {
    const p = conds[0]!, q = conds[1] ?? p;
    const a = p.a, b = q.a, s = p.sign, t = q.sign, u = p.value * s, v = q.value * t;
    for (let i = 0; i < n; i++) if (a[i]! * s < u && b[i]! * t < v) out[i] = label;
    return;
  }
  for (let i = 0; i < n; i++) {
    let all = true;
    for (const c of conds) {
      const x = c.a[i]! * c.sign, y = c.value * c.sign;
      if (!(c.equal ? x <= y : x < y)) { all = false; break; }
    }
    if (all) out[i] = label;
  }
}

import WebGLTileLayer from "ol/layer/WebGLTile";
import type DataTile from "ol/source/DataTile";
import type { LayerLimit } from "@hindglance/core/change/limits/all";
import type { ClassRule } from "@hindglance/core/change/rules";
import { type Expression, NOTHING, isEmpty, rgb } from "./expressions";

const variable = (rule: number, condition: number) => `t${rule}x${condition}`;
/** Stands for "no limit" on the graphics card. */
const FAR = 1e9;

/**
 * Values of the thresholds and limits for the graphics card; updating them redraws without asking
 * anybody.
 */
export function ruleVariables(
  rules: readonly ClassRule[],
  limits: readonly LayerLimit[],
): Record<string, number> {
  return {
    ...Object.fromEntries(
      limits.flatMap((limit, i) => [
        [`low${i}`, limit.min ?? -FAR],
        [`high${i}`, limit.max ?? FAR],
      ]),
    ),
    ...Object.fromEntries(
      rules.flatMap((rule, i) => rule.all.map((condition, k) => [variable(i, k), condition.value])),
    ),
  };
}

/** What of rules and limits is built into the shader: everything but their numbers. */
export interface RuleShape {
  rules: (Pick<ClassRule, "label" | "color"> & {
    all: Pick<ClassRule["all"][number], "layer" | "op">[];
  })[];
  limits: Pick<LayerLimit, "layer" | "labels">[];
  /** Names of the bands of the gated stack; before, after and measure first. */
  bands: readonly string[];
}

/** The shape of rules and limits over a stack with these bands. */
export const ruleShape = (
  rules: readonly ClassRule[],
  limits: readonly LayerLimit[],
  bands: readonly string[],
): RuleShape => ({
  rules: rules.map(({ label, color, all }) => ({
    label,
    color,
    all: all.map(({ layer, op }) => ({ layer, op })),
  })),
  limits: limits.map(({ layer, labels }) => (labels ? { layer, labels } : { layer })),
  bands,
});

/** All of several, or the one there is. */
const every = (parts: Expression[], word: "all" | "any"): Expression =>
  parts.length === 1 ? parts[0]! : [word, ...parts];

/** Where a rule holds. A condition on a layer that the stack lacks holds nowhere. */
function holds(shape: RuleShape, rule: number): Expression {
  const conditions = shape.rules[rule]!.all.map(({ layer, op }, k): Expression => {
    const band = shape.bands.indexOf(layer) + 1;
    if (!band) {
      return ["==", 1, 0];
    }
    const sign = op === "=" ? "==" : op;
    return ["all", ["!", isEmpty(band)], [sign, ["band", band], ["var", variable(rule, k)]]];
  });
  return every(conditions, "all");
}

/** Limits that drop cells of a class. A cell without a value in the limit's layer stays. */
function beyond(shape: RuleShape, label: number): Expression[] {
  return shape.limits.flatMap((limit, i): Expression[] => {
    const band = shape.bands.indexOf(limit.layer) + 1;
    if (!band || (limit.labels && !limit.labels.includes(label))) {
      return [];
    }
    const outside = [
      "any",
      [">", ["band", band], ["var", `high${i}`]],
      ["<", ["band", band], ["var", `low${i}`]],
    ];
    return [["all", ["!", isEmpty(band)], outside]];
  });
}

function colour(shape: RuleShape, rule: number, opacity: number): Expression {
  const { label, color } = shape.rules[rule]!;
  const dropped = beyond(shape, label);
  const full = ["color", ...rgb(color), opacity];
  return dropped.length ? ["case", every(dropped, "any"), NOTHING, full] : full;
}

/** Every variable of a shape, at nought until `ruleVariables` are put in. */
function variablesOf(shape: RuleShape): Record<string, number> {
  const names = [
    ...shape.limits.flatMap((_limit, i) => [`low${i}`, `high${i}`]),
    ...shape.rules.flatMap((rule, i) => rule.all.map((_condition, k) => variable(i, k))),
  ];
  return Object.fromEntries(names.map((name) => [name, 0]));
}

/**
 * Classes by rule, computed on the graphics card over the gated stack. The numbers come with
 * `updateStyleVariables(ruleVariables(…))`. Rules and limits on bands that the stack lacks do not
 * show.
 */
export function ruleLayer(source: DataTile, shape: RuleShape, opacity = 0.85): WebGLTileLayer {
  return new WebGLTileLayer({
    source,
    style: {
      variables: variablesOf(shape),
      color: [
        "case",
        ["any", isEmpty(1), isEmpty(2), isEmpty(3)],
        NOTHING,
        ...shape.rules.flatMap((_rule, i) => [holds(shape, i), colour(shape, i, opacity)]),
        NOTHING,
      ],
    },
  });
}

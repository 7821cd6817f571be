import * as yup from "yup";
import type { LayerBound, LimitPart } from "./limit";
import { LIMIT_PARTS } from "./list";
import type { Neighbours } from "./neighbours";

type LimitKey = (typeof LIMIT_PARTS)[number]["key"];
/** Any limit, whole. */
export type AnyLimit = LimitPart<LimitKey, object, object>;
/** A limit by its key; "rules": the classes before any. */
export type LimitName = LimitKey | "rules";

type KeptBy<Part> =
  Part extends LimitPart<string, infer Kept, infer Own>
    ? Own extends object
      ? Kept
      : never
    : never;
type Together<Union> = (Union extends unknown ? (one: Union) => void : never) extends (
  all: infer All,
) => void
  ? All
  : never;
/**
 * Limits of a change map, in the order in which they are applied. Those that may be absent came
 * later than settings that are kept.
 */
export type Limits = Together<KeptBy<(typeof LIMIT_PARTS)[number]>> & Neighbours;

const ALL: readonly AnyLimit[] = LIMIT_PARTS;

/** Schema of limits, put together from what each limit checks. */
export const limitsSchema = yup
  .object({
    ...Object.assign({}, ...ALL.map((part) => part.shape)),
    neighbours: yup
      .number()
      .oneOf([4, 8] as const)
      .required(),
  })
  .noUnknown()
  .required() as unknown as yup.ObjectSchema<Limits>;

/** What each limit is called where its effect is told. */
export const limitName = (key: string): string =>
  key === "rules" ? "Classes" : (ALL.find((part) => part.key === key)?.name ?? key);

/** Limits that are set, with their settings, in their order. */
export const limitsSet = (limits: Limits): { part: AnyLimit; own: object }[] =>
  ALL.flatMap((part) => {
    const own = part.read(limits);
    return own ? [{ part, own }] : [];
  });

/** Limits that are not set. */
export const limitsLeft = (limits: Limits): AnyLimit[] =>
  ALL.filter((part) => part.read(limits) === null);

/** Limits with one of them changed, added or, with null, taken away. */
export const withLimit = (limits: Limits, part: AnyLimit, own: object | null): Limits => ({
  ...limits,
  ...part.write(own),
});

/** A limit on a layer of the stack; classes beyond it are dropped. */
export interface LayerLimit extends LayerBound {
  name: string;
  layer: string;
}

/** Limits on layers that are set, in their order; one without ends drops nothing and is left out. */
export const layerLimits = (limits: Limits): LayerLimit[] =>
  limitsSet(limits).flatMap(({ part: { key, work }, own }) => {
    const bound = work.on === "layer" ? work.bound(own) : null;
    return work.on === "layer" && bound ? [{ name: key, layer: work.layer, ...bound }] : [];
  });

/** No limit but that both dates must see a cell. */
export const NO_LIMITS: Limits = {
  studyArea: false,
  seenMarginCells: 0,
  maxSlopeDeg: null,
  minPatchCells: null,
  neighbours: 8,
};

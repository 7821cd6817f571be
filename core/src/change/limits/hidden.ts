import * as yup from "yup";
import { node } from "../../graph/node";
import type { ChangeSide } from "../setup";
import { onEither } from "./either";
import type { LimitPart } from "./limit";

/** Layover and shadow on either date, as Terrain finds them. */
interface Kept {
  hidden?: boolean | null;
}

/** What a date says of layover and shadow; null where it says nothing. */
function hiddenOf({ info, node: image }: ChangeSide): ChangeSide | null {
  const band = info.bands.findIndex(({ role }) => role === "hidden");
  return band < 0 ? null : { node: node("bands.select", { bands: [band] }, image), info };
}

/** No layover or shadow. */
export const hidden: LimitPart<"hidden", Kept, object> = {
  key: "hidden",
  name: "Layover and shadow",
  addedAs: "Layover and shadow",
  help: "Classes are dropped where mountains hide the ground from the radar on either date, as Terrain in Prepare finds it.",
  shape: { hidden: yup.boolean().nullable() },
  read: (limits) => (limits.hidden ? {} : null),
  write: (own) => ({ hidden: own ? true : null }),
  offered: ({ hasHidden }) => hasHidden,
  start: () => ({}),
  text: () => "no layover or shadow",
  said: () => "no layover or shadow",
  work: {
    on: "layer",
    layer: "hidden",
    bound: () => ({ max: 0.5 }),
    node: (_own, { inputs, grid }) =>
      onEither([hiddenOf(inputs.before), hiddenOf(inputs.after)], grid, {
        message: "Neither date says what lies in layover and shadow",
        field: "limits.hidden",
        hint: 'Turn on "Incidence and hidden cells" of Terrain in Prepare.',
      }),
  },
  fields: () => [],
  graph: [],
};

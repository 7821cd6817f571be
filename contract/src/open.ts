import { route } from "./route";
import { flag, shape, textOrNull } from "./shapes";

/** Where open services of studies begin. */
export const OPEN = "/open";

const openView = shape({
  on: flag,
  /** Path at which they begin; null while they are off. */
  path: textOrNull,
});

/** Routes of the switch of a study's open services. */
export const openRoutes = {
  find: route({ method: "GET", path: "/studies/:id/open", answer: openView }),
  /** Switches them on or off; switched on, files that they hand out are made. */
  set: route({
    method: "PUT",
    path: "/studies/:id/open",
    body: shape({ on: flag }),
    answer: openView,
  }),
};

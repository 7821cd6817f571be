import { plainName } from "@hindglance/core/change/twinNames";
import { InputError } from "@hindglance/core/errors";
import type { KnownArea } from "@hindglance/core/accuracy/testAreas";
import type { ChangeMap } from "../api/types";
import { namedAreas } from "@hindglance/core/classify/importAreas";
import { toldClasses } from "./classes";

/**
 * Areas of a file with the classes of a map that they are known to be of.
 * @throws InputError naming the file, the area and the classes that there are
 */
export function knownAreas(map: ChangeMap, text: string, file: string): KnownArea[] {
  const classes = toldClasses(map);
  return namedAreas(text, file).map(({ name, polygons }, k) => {
    const known = classes.find((one) => plainName(one.name) === plainName(name));
    if (!known) {
      throw new InputError(
        `Feature ${k + 1} of ${file} is of class “${name}”, which the map does not have`,
        "file",
        `Classes of the map: ${classes.map((one) => one.name).join(", ")}.`,
      );
    }
    return { label: known.label, polygons };
  });
}

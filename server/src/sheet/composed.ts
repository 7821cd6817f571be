import { type Composition, composeSheet } from "@hindglance/core/sheet/compose";
import { composeSlides } from "@hindglance/core/sheet/slides";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { ChangeMap } from "../db/changeMaps";
import { findSheet } from "../db/sheets";
import { sheetMaterial } from "./facts";
import { FONTS } from "./fonts";
import { proposedSheet } from "@hindglance/core/sheet/views";
import type { Finding } from "./images";
import { SheetPictures } from "./pictures";

/** Pages with the pictures on them. */
export interface Composed {
  composition: Composition;
  pictures: SheetPictures;
}

/** The sheet of a map as it is set, or as it is proposed; or its slides. */
export async function composedOf(
  finding: Finding,
  map: ChangeMap,
  info: ImageInfo,
  what: "sheet" | "slides",
): Promise<Composed> {
  const state = await finding.db.withClient((client) => findSheet(client, map.id));
  const { facts, found } = await sheetMaterial(finding, map, info);
  const compose = what === "sheet" ? composeSheet : composeSlides;
  return {
    composition: compose(FONTS, facts, state?.sheet ?? proposedSheet(facts)),
    pictures: new SheetPictures(finding.evaluator, found.images),
  };
}

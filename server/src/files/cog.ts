import { BLOCK } from "@hindglance/core/grid/grid";
import { labelCells } from "@hindglance/core/raster/block";
import { writeCog } from "@hindglance/formats/tiff/writeCog";
import { readBlocks } from "../db/blocks";
import { findImage } from "../db/images";
import type { Database } from "../db/pool";
import type { FileKind, FileSource } from "./kind";
import { COG_MEDIA } from "./names";
import { withScratch } from "./scratch";

async function blockOf(
  db: Database,
  image: string,
  level: number,
  row: number,
  col: number,
): Promise<Uint8Array[]> {
  const found = await db.withClient((client) =>
    readBlocks(client, image, level, row, row + 1, col, col + 1),
  );
  if (found.length !== 1) {
    throw new Error(`Block ${level}/${row}/${col} of ${image} is not stored (${BLOCK} cells)`);
  }
  return [labelCells(found[0]!.cells)];
}

/** Colours by label, names of classes, and where the map comes from. */
function saidInside({ map, info }: FileSource) {
  const classes = info.classes ?? [];
  return {
    palette: { 0: "#efece4", ...Object.fromEntries(classes.map((one) => [one.label, one.color])) },
    items: {
      LEGEND: ["0=Unchanged", ...classes.map(({ label, name }) => `${label}=${name}`)].join("; "),
      NAME: map.name,
      PROVENANCE: JSON.stringify(map.provenance),
    },
  };
}

/** Classes of a map as a cloud-optimised GeoTIFF; compressed tiles wait in a file until all are known. */
export const cog: FileKind = {
  extension: "tif",
  media: COG_MEDIA,
  title: "GeoTIFF",
  isPacked: true,
  bytes: (source) =>
    withScratch(async function* (open) {
      const { map, info, db, signal, progress } = source;
      const image = (await db.withClient((client) => findImage(client, map.imageId)))!;
      const out = await open("out");
      await writeCog(
        {
          ...{ grid: info.grid, type: "uint8", nodata: 255, levels: image.levels },
          ...{ bands: [{ name: "change class" }], signal, progress },
          ...saidInside(source),
          readBlock: (level, row, col) => blockOf(db, map.imageId, level, row, col),
        },
        await open("tiles"),
        (bytes) => out.append(bytes),
      );
      yield* out.bytes();
    }),
};

import { encode } from "fast-png";
import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { PictureMark, MapSide } from "@hindglance/core/sheet/marks";
import { TILE_PIXELS, type WebTile, tileGround } from "@hindglance/core/grid/webTiles";
import type { SheetImages } from "./pictures";
import { SheetPictures } from "./pictures";

const SIDE = TILE_PIXELS;

/** Paints tiles of the pictures of a map: what no image has lets through what lies below. */
export class TilePainter {
  private readonly pictures: SheetPictures;

  constructor(evaluator: Evaluator, images: SheetImages) {
    this.pictures = new SheetPictures(evaluator, images);
  }

  /** A tile as PNG with transparency. */
  async tile(side: MapSide, tile: WebTile): Promise<Uint8Array> {
    const mark: PictureMark = {
      ...{ kind: "picture", side, x: 0, y: 0, width: SIDE, height: SIDE },
      ground: tileGround(tile),
    };
    const pixels = { x: 0, y: 0, pixelMm: 1, width: SIDE, height: SIDE };
    const data = await this.pictures.clear(mark, pixels);
    return encode({ width: SIDE, height: SIDE, data, channels: 4, depth: 8 });
  }
}

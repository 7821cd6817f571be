import { LRUCache } from "lru-cache";
import { windowOf } from "@hindglance/core/edit/cells";
import { outlineFrom, outlineInCells } from "@hindglance/core/edit/outline";
import type { Painting } from "@hindglance/core/edit/paint";
import { type Grid, type Window, intersect } from "@hindglance/core/grid/grid";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import { type EditedSets, editPatches, editedSets, writtenPatches } from "../db/edits";
import type { Client, Lender } from "../db/pool";

/** Classes of a map with the edits up to an act painted over them, as steps name an image. */
export const editedImage = (map: string, head: number): string => `edited:${map}:${head}`;

/** The map and the act of such an image; null where it is another one. */
export function editsOf(image: string): { map: string; head: number } | null {
  const [kind, map, head] = image.split(":");
  return kind === "edited" && map && head ? { map, head: Number(head) } : null;
}

/** A patch as it is painted. */
interface Outline {
  label: number;
  polygons: MultiPolygon;
  /** Cells that it may cover. */
  window: Window | null;
}

/** Corners of outlines that are kept. */
const MOST_CORNERS = 2_000_000;

/**
 * What edits of maps come to. Acts and the patches that they made never change, so that what is read once
 * holds for good.
 */
export class EditedMaps {
  private readonly sets = new LRUCache<string, Promise<EditedSets>>({ max: 20 });
  private readonly outlines = new LRUCache<string, Outline>({ maxSize: MOST_CORNERS });

  constructor(private readonly db: Lender) {}

  private setsOf(map: string, head: number): Promise<EditedSets> {
    const key = `${map}:${head}`;
    let pending = this.sets.get(key);
    if (!pending) {
      pending = this.db.withClient((client) => editedSets(client, map, head));
      this.sets.set(key, pending);
      pending.catch(() => this.sets.delete(key));
    }
    return pending;
  }

  /** What is to be painted in a window of a map, in its cells, for its edits up to an act. */
  async painting(
    { map, head }: { map: string; head: number },
    grid: Grid,
    window: Window,
  ): Promise<Painting> {
    const { gone, made } = await this.setsOf(map, head);
    const outlines = await this.load(map, grid, { gone, made });
    const among = (numbers: readonly number[]) =>
      numbers.flatMap((number) => {
        const one = outlines.get(number);
        return one?.window && intersect(one.window, window) ? [{ number, ...one }] : [];
      });
    return { erased: among(gone).map(({ polygons }) => polygons), laid: among(made) };
  }

  /** Outlines by number; those that are not known yet are read. */
  private async load(map: string, grid: Grid, sets: EditedSets): Promise<Map<number, Outline>> {
    const all = new Map<number, Outline>();
    const unknown = (number: number): boolean => {
      const known = this.outlines.get(`${map}/${number}`);
      if (known) {
        all.set(number, known);
      }
      return !known;
    };
    const lacking = { gone: sets.gone.filter(unknown), made: sets.made.filter(unknown) };
    if (lacking.gone.length + lacking.made.length > 0) {
      const found = await this.db.withClient((client) => outlinesOf(client, map, grid, lacking));
      for (const { number, label, polygons } of found) {
        const one = { label, polygons, window: windowOf(polygons, grid) };
        all.set(number, one);
        this.outlines.set(`${map}/${number}`, one, { size: polygons.flat(2).length + 1 });
      }
    }
    return all;
  }
}

/** Outlines of patches of a map, in its cells: of those that were written, and of those that edits made. */
export async function outlinesOf(
  client: Client,
  map: string,
  grid: Grid,
  { gone, made }: EditedSets,
): Promise<{ number: number; label: number; polygons: MultiPolygon }[]> {
  const written = await writtenPatches(client, map, gone);
  const edited = await editPatches(client, map, made);
  return [
    ...written.map(({ number, label, geometry, edited: isEdited }) => ({
      ...{ number, label },
      polygons: outlineInCells(outlineFrom(geometry), grid, !isEdited),
    })),
    ...edited.map(({ number, label, outline }) => ({ number, label, polygons: outline })),
  ];
}

import { USUAL_BEYOND } from "@hindglance/core/change/measures/normalFields";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import { normalDatesIn } from "@hindglance/core/graph/steps/normal";
import { ontoGrid } from "@hindglance/core/grid/globe";
import type { NormalBand } from "@hindglance/core/normal/band";
import type { ChangeMap } from "../db/changeMaps";
import type { PreviewPool } from "../preview/pool";
import { madeFromOfMap } from "./madeFrom";

type Services = Parameters<typeof madeFromOfMap>[0] & { previews: PreviewPool };

/**
 * What is normal at a place of a map, in longitude and latitude, by the dates that the map took for normal.
 * Null where it took none, or too few of them are seen there.
 */
export async function normalAt(
  services: Services,
  map: ChangeMap,
  { lon, lat, sizeCells }: { lon: number; lat: number; sizeCells: number },
): Promise<NormalBand | null> {
  const made = map.provenance.series ? await madeFromOfMap(services, map) : null;
  const nodes = made && normalDatesIn(made.gated);
  if (!nodes) {
    return null;
  }
  const { grid } = await new Evaluator({ sources: services.sources }).info(nodes[0]!);
  const place = ontoGrid(grid)(lon, lat);
  const beyond = map.setup.awayBeyond ?? USUAL_BEYOND;
  return services.previews.normal({ nodes, place, sizeCells, beyond });
}

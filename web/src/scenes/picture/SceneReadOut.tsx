import type { BandInfo } from "@hindglance/core/graph/image";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { ontoGlobe } from "@hindglance/core/grid/globe";
import type { NodeView, Scene } from "../../api/types";
import { degrees, number } from "../../lib/format";
import type { NodeCells } from "../../map/nodeCells";

interface Props {
  scene: Scene;
  node: NodeView;
  cells: NodeCells;
  /** Where the cursor is, in the coordinates of the map. */
  at: [number, number];
}

/** Decimals that a value of a band is read with. */
function decimalsOf({ role }: BandInfo): number {
  if (role === "reflectance") {
    return 3;
  }
  return role === "quality" ? 0 : 1;
}

/** Where the cursor is: on the Earth, or in the cells of a picture that is not on the map. */
function placeText({ scene, node, at }: Props): string {
  const { grid } = node.info;
  if (!isSensorFrame(grid.crs)) {
    return degrees(...ontoGlobe(grid)(...at));
  }
  const across = number(Math.floor(at[0]));
  const down = number(Math.floor(-at[1]));
  return scene.info!.sensor ? `line ${down}, sample ${across}` : `column ${across}, row ${down}`;
}

function valueText({ scene, node }: Props, band: number, value: number): string {
  if (scene.info!.type === "class8") {
    return node.info.classes?.find(({ label }) => label === value)?.name ?? "no class";
  }
  const info = node.info.bands[band]!;
  return Number.isFinite(value) ? `${number(value, decimalsOf(info))} ${info.unit}` : "nodata";
}

/** Place and values under the cursor, a line a band. */
export function SceneReadOut(props: Props) {
  const { node, cells, at } = props;
  const found = cells.valueAt(...at);
  return (
    <div className="pointer-events-none absolute bottom-3 left-3 rounded-field bg-night/85 px-2.5 py-1.5 font-mono text-[12px] text-white">
      <div>{placeText(props)}</div>
      {found &&
        node.info.bands.map((band, k) => (
          <div key={k}>
            <span className="text-[#aeb8b4]">{band.polarisation ?? band.name}</span>{" "}
            {valueText(props, k, found.values[k]!)}
            {found.level > 0 && (
              <span className="text-[#aeb8b4]"> · mean of {number(4 ** found.level)} cells</span>
            )}
          </div>
        ))}
    </div>
  );
}

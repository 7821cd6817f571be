import type { Scene } from "../../api/types";
import { number } from "../../lib/format";

/** The bands of an optical scene: which file holds each, and where in the spectrum it lies. */
export function BandTable({ scene }: { scene: Scene }) {
  const files = new Map(scene.detail.bandFiles?.map((file) => [file.band, file]));
  const ownCell = Math.abs(scene.info!.grid.transform[1]);
  return (
    <table className="mt-2 w-full text-[12px]">
      <thead>
        <tr className="text-left text-label text-soft">
          <th className="font-normal">Band</th>
          <th className="text-right font-normal">nm</th>
          <th className="text-right font-normal">Cell, m</th>
          <th className="pl-3 font-normal">File</th>
        </tr>
      </thead>
      <tbody>
        {scene.info!.bands.map(({ name, wavelengthNm }) => (
          <tr key={name} className="border-t border-line">
            <td>{name}</td>
            <td className="text-right font-mono">{wavelengthNm ? number(wavelengthNm) : "–"}</td>
            <td className="text-right font-mono">{number(files.get(name)?.cellM ?? ownCell, 0)}</td>
            <td className="max-w-[140px] truncate pl-3 text-soft" title={files.get(name)?.file}>
              {files.get(name)?.file}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

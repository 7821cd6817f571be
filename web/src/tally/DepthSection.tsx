import { useState } from "react";
import { type WaterThere, waterOf } from "@hindglance/core/flood/depths";
import { zoneName } from "@hindglance/core/tally/zoneName";
import type { ChangeMap } from "../api/types";
import { Section } from "../frame/Section";
import { areaSaid, number } from "../lib/format";
import { Button } from "../ui/Button";
import { Chip } from "../ui/Chip";
import { HeadRow } from "../ui/HeadRow";
import { Hint } from "../ui/Hint";
import { Warning } from "../ui/Messages";
import { waterClasses } from "./depth";
import { useMeasureDepth } from "./useDepth";

const EXPLAINED =
  "The level is told by the ground along the water's edge: where water that was not there before meets a large piece of dry ground that rises from it. Half a kilometre apart, the plane that most of those heights lie on. Plants, houses and banks that stand in the water do not count. A depth is the level less the ground, and no better than the elevation.";

interface Props {
  map: ChangeMap;
  /** Whether depth lies on the map. */
  isShown: boolean;
  show(isShown: boolean): void;
}

/** How high the water of a flood stands, how deep it is and how much of it there is. */
export function DepthSection({ map, isShown, show }: Props) {
  return (
    <Section
      title={<Hint text={EXPLAINED}>Water level and depth</Hint>}
      right={
        map.depth && (
          <Chip on={isShown} aria-pressed={isShown} onClick={() => show(!isShown)}>
            on the map
          </Chip>
        )
      }
    >
      {map.depth && <Measured map={map} />}
      {map.provenance.elevation ? (
        <Ask key={map.depth?.imageId ?? ""} map={map} />
      ) : (
        <p className="text-soft">
          This map was written without an elevation model: bring one into Scenes and write the map
          again.
        </p>
      )}
    </Section>
  );
}

/** Which classes are water, and what measures their depth. */
function Ask({ map }: { map: ChangeMap }) {
  const { depth, info } = map;
  const [classes, setClasses] = useState(() => depth ?? waterClasses(map));
  const { measure, isBusy } = useMeasureDepth(map);
  const turn = (of: "flooded" | "wet", label: number) =>
    setClasses((old) => {
      const has = old[of].includes(label);
      return { ...old, [of]: has ? old[of].filter((one) => one !== label) : [...old[of], label] };
    });
  const { flooded, wet } = classes;
  const word = depth ? "Measure again" : "Measure depth";
  const chips = (of: "flooded" | "wet") =>
    (info.classes ?? [])
      .filter(({ label }) => of === "flooded" || !flooded.includes(label))
      .map(({ label, name, color }) => {
        const isOn = classes[of].includes(label);
        return (
          <Chip key={label} on={isOn} aria-pressed={isOn} onClick={() => turn(of, label)}>
            <span aria-hidden className="h-2.5 w-2.5 rounded-[3px]" style={{ background: color }} />
            {name}
          </Chip>
        );
      });
  return (
    <details className="mt-1" open={!depth}>
      <summary className="cursor-pointer text-soft">Which classes are water</summary>
      <p className="mb-1 mt-1.5 text-label text-soft">Came under water</p>
      <div className="flex flex-wrap gap-1.5" role="group" aria-label="Came under water">
        {chips("flooded")}
      </div>
      <p className="mb-1 mt-1.5 text-label text-soft">Was water, or stands in it</p>
      <div className="flex flex-wrap gap-1.5" role="group" aria-label="Was water, or stands in it">
        {chips("wet")}
      </div>
      <Button
        className="mt-2"
        disabled={isBusy || flooded.length === 0}
        onClick={() => measure({ flooded, wet: wet.filter((label) => !flooded.includes(label)) })}
      >
        {isBusy ? "Measuring …" : word}
      </Button>
    </details>
  );
}

/** Share of the water from which it is said that the depth of so much is not known. */
const UNKNOWN_SHARE = 0.01;

const millions = (m3: number): string => number(m3 / 1e6, 2);
const meanOf = ({ areaM2, volumeM3 }: WaterThere): string =>
  areaM2 > 0 ? number(volumeM3 / areaM2, 2) : "–";

/** Volumes and depths, by zone where the map has zones. */
function Measured({ map }: { map: ChangeMap }) {
  const { sums, flooded } = map.depth!;
  const whole = waterOf(sums, flooded, null);
  const names = map.provenance.zones?.names ?? [];
  const zones = sums.zones > 1 ? names.map((_name, k) => k + 1) : [];
  const rows = [...zones, null].map((zone) => ({
    zone,
    water: zone === null ? whole : waterOf(sums, flooded, zone),
  }));
  return (
    <>
      <p className="mb-1">
        <b>{millions(whole.volumeM3)} million m³</b> over ground that came under water,{" "}
        {meanOf(whole)} m deep on the average, {number(sums.deepestM, 1)} m at the deepest of all
        water.
      </p>
      {whole.unknownM2 > UNKNOWN_SHARE * whole.areaM2 && (
        <Warning>
          Of {areaSaid(whole.unknownM2)} the depth is not known: no shore is near, or it lies off
          the elevation.
        </Warning>
      )}
      {zones.length > 0 && (
        <table className="mt-1 w-full" aria-label="Water by zone">
          <HeadRow names={["zone", "million m³", "mean m"]} />
          <tbody>
            {rows
              .filter(({ water }) => water.areaM2 > 0)
              .map(({ zone, water }) => (
                <tr key={zone ?? "all"}>
                  <th scope="row" className="text-left font-medium">
                    {zone === null ? "All" : zoneName(names, zone)}
                  </th>
                  <td className="text-right font-mono text-[12.5px]">{millions(water.volumeM3)}</td>
                  <td className="text-right font-mono text-[12.5px]">{meanOf(water)}</td>
                </tr>
              ))}
          </tbody>
        </table>
      )}
    </>
  );
}

import { quantile } from "@hindglance/core/raster/histogram";
import type { Scene } from "../../api/types";
import { Section } from "../../frame/Section";
import { number } from "../../lib/format";
import { Bars } from "../../ui/Bars";
import { Choice } from "../../ui/Choice";
import { type Display, asShown, stretchOf } from "../display";
import { BandChoice } from "./BandChoice";
import { Colours } from "./Colours";
import { axisOf, figuresOf } from "./figures";

interface Props {
  scene: Scene;
  display: Display;
  /** The band whose numbers are told. */
  band: number;
  onDisplay(display: Display): void;
}

/** How a scene is drawn, and how its numbers are spread. */
export function PictureSection({ scene, display, band, onDisplay }: Props) {
  const info = scene.info!;
  const isValues = info.type === "float32";
  return (
    <Section
      title="Picture"
      right={
        isValues && info.bands.length > 1 ? (
          <Choice
            label="Bands shown"
            value={display.mode}
            onChange={(mode) => onDisplay({ ...display, mode })}
            options={[
              { value: "single", name: "One band" },
              { value: "three", name: "Three bands" },
            ]}
          />
        ) : undefined
      }
    >
      {isValues ? (
        <>
          <BandChoice scene={scene} display={display} band={band} onDisplay={onDisplay} />
          <Colours scene={scene} display={display} onDisplay={onDisplay} />
          <Spread scene={scene} display={display} band={band} />
          <Figures scene={scene} band={band} />
        </>
      ) : (
        <Classes scene={scene} />
      )}
    </Section>
  );
}

/** Classes that are named before the rest is left to the map. */
const NAMED = 12;

const Classes = ({ scene }: { scene: Scene }) => (
  <ul className="space-y-1">
    {scene.info!.classes?.slice(0, NAMED).map(({ label, name, color }) => (
      <li key={label} className="flex items-center gap-2">
        <span className="h-3 w-3 rounded-[3px]" style={{ background: color }} />
        {name}
      </li>
    ))}
  </ul>
);

/** Share of the cells that the histogram leaves out at either end. */
const TAIL = 0.001;

function Spread({ scene, display, band }: Omit<Props, "onDisplay">) {
  const histogram = scene.histograms?.[band];
  if (!histogram) {
    return null;
  }
  const [from, to] = [quantile(histogram, TAIL), quantile(histogram, 1 - TAIL)];
  const { lo, hi } = stretchOf(scene, band, display.stretch, (value) => value);
  const { unit, decimals } = axisOf(scene.info!, band);
  const show = asShown(scene, band);
  return (
    <>
      <Bars
        histogram={histogram}
        from={from}
        to={to}
        marks={[lo, hi]}
        label={`Histogram of ${scene.info!.bands[band]!.name}`}
      />
      <div className="flex justify-between font-mono text-label text-soft">
        <span>{number(show(from), decimals)}</span>
        <span>{unit}</span>
        <span>{number(show(to), decimals)}</span>
      </div>
    </>
  );
}

function Figures({ scene, band }: { scene: Scene; band: number }) {
  const figures = figuresOf(scene, band);
  return (
    figures.length > 0 && (
      <dl className="mt-2 grid grid-cols-4 gap-2 text-label">
        {figures.map(([name, said]) => (
          <div key={name}>
            <dt className="text-soft">{name}</dt>
            <dd className="font-mono">{said}</dd>
          </div>
        ))}
      </dl>
    )
  );
}

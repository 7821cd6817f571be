import type { ReactNode } from "react";
import { proposeGrid } from "@hindglance/core/chain/proposeGrid";
import type { RadarChain } from "@hindglance/core/chain/radarChain";
import { type Crs, LONLAT, isGeographic, transformer } from "@hindglance/core/geodesy/crs";
import { outline } from "@hindglance/core/grid/grid";
import type { Study } from "../api/types";
import { number } from "../lib/format";
import { Button, Choice, Pick, Row } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { GridSystem } from "./GridSystem";
import { FILTERS } from "./steps";
import type { PrepareView } from "./chainState";

const ON = [
  { value: "off", name: "Off" },
  { value: "on", name: "On" },
] as { value: string; name: string }[];

/** Settings of a step of the radar chain. `looks`: measured in the marked field. */
export function RadarSettings({
  step,
  c: radarChain,
  view,
  study,
  scene,
  change,
  looks,
}: {
  step: keyof RadarChain;
  c: RadarChain;
  view: PrepareView;
  study: Study;
  scene: string | null;
  change<S extends keyof RadarChain>(s: S, value: Partial<RadarChain[S]>): void;
  looks: number | null;
}): ReactNode {
  const outside = (s: "flatten" | "terrain") => (
    <Row label="Beyond the elevation">
      <Choice
        label="Beyond the elevation"
        value={radarChain[s].outside}
        onChange={(options) => change(s, { outside: options as "nodata" })}
        options={[
          { value: "ellipsoid", name: "Height 0" },
          { value: "nodata", name: "Nodata" },
        ]}
      />
    </Row>
  );
  switch (step) {
    case "orbit":
      return view.orbits.length ? (
        <ul className="text-[12px]">
          {view.orbits.map((orbit) => (
            <li key={orbit.id} className="mb-1 break-all">
              <b>{orbit.kind}</b> <span className="text-soft">{orbit.fileName}</span>
            </li>
          ))}
        </ul>
      ) : (
        <p className="text-soft">
          No orbit file is in the study. Drop .EOF files into Scenes; each finds its scenes by
          mission and time.
        </p>
      );
    case "noise":
      return (
        <p className="text-soft">
          Cells that noise leaves below zero are kept, so that means stay true; they have no decibel
          value.
        </p>
      );
    case "calibrate":
      return (
        <>
          <Row label="To">
            <Choice
              label="Backscatter"
              value={radarChain.calibrate.to}
              onChange={(to) => change("calibrate", { to })}
              options={[
                { value: "beta", name: "β⁰", hint: "Beta nought" },
                { value: "sigma", name: "σ⁰", hint: "Sigma nought" },
                { value: "gamma", name: "γ⁰", hint: "Gamma nought" },
              ]}
            />
          </Row>
          <Row label="Polarisations">
            <Choice
              label="Polarisations"
              value={radarChain.calibrate.polarisations?.join() ?? "all"}
              onChange={(value) =>
                change("calibrate", { polarisations: value === "all" ? null : [value] })
              }
              options={[
                { value: "all", name: "All" },
                { value: "VV", name: "VV" },
                { value: "VH", name: "VH" },
              ]}
            />
          </Row>
        </>
      );
    case "looks":
      return (
        <>
          <Row label="In range">
            <NumberField
              label="Looks in range"
              decimals={0}
              step={1}
              min={1}
              max={32}
              value={radarChain.looks.rangeLooks}
              onCommit={(rangeLooks) => change("looks", { rangeLooks })}
            />
          </Row>
          <Row label="In azimuth">
            <NumberField
              label="Looks in azimuth"
              decimals={0}
              step={1}
              min={1}
              max={32}
              value={radarChain.looks.azimuthLooks}
              onCommit={(azimuthLooks) => change("looks", { azimuthLooks })}
            />
          </Row>
        </>
      );
    case "speckle":
      return (
        <>
          <Row label="Filter">
            <Pick
              label="Filter"
              className="w-[160px]"
              value={radarChain.speckle.filter}
              onChange={(filter) => change("speckle", { filter })}
              options={FILTERS.map(([value, name]) => ({ value, name }))}
            />
          </Row>
          {radarChain.speckle.filter !== "refinedLee" && (
            <Row label="Window, cells">
              <Choice
                label="Window"
                value={String(radarChain.speckle.windowCells)}
                onChange={(value) => change("speckle", { windowCells: Number(value) })}
                options={["3", "5", "7", "9", "11"].map((value) => ({ value, name: value }))}
              />
            </Row>
          )}
          {!["mean", "median"].includes(radarChain.speckle.filter) && (
            <Row label="Equivalent looks">
              <span className="flex items-center gap-2">
                {looks !== null && Math.abs(looks - radarChain.speckle.looks) > 0.05 && (
                  <Button
                    tone="quiet"
                    className="h-6 px-1.5"
                    onClick={() => change("speckle", { looks: Math.round(looks * 10) / 10 })}
                  >
                    Take {number(looks, 1)}
                  </Button>
                )}
                <NumberField
                  label="Equivalent looks"
                  value={radarChain.speckle.looks}
                  min={0.5}
                  max={1000}
                  step={0.5}
                  onCommit={(value) => change("speckle", { looks: value })}
                />
              </span>
            </Row>
          )}
        </>
      );
    case "flatten":
      return (
        <>
          {outside("flatten")}
          <p className="text-label text-soft">
            Elevation:{" "}
            {view.elevations.find((elevation) => elevation.id === radarChain.terrain.elevationId)
              ?.name ?? "none picked"}
            , as in Terrain.
          </p>
        </>
      );
    case "terrain": {
      const grid = radarChain.terrain.grid;
      const degrees = isGeographic(grid.crs);
      const cellM = degrees ? Math.round(grid.transform[1] * 111_320) : grid.transform[1];
      const ring =
        study.studyArea?.coordinates.flatMap((coordinate) => coordinate[0]!) ??
        outline(grid).map(([x, y]) => transformer(grid.crs, LONLAT)(x, y));
      const regrid = (m: number, crs: Crs) =>
        change("terrain", { grid: proposeGrid(ring, m, crs) });
      return (
        <>
          <Row label="Elevation">
            <Pick
              label="Elevation"
              className="w-[180px]"
              value={radarChain.terrain.elevationId ?? "none"}
              onChange={(value) =>
                change("terrain", { elevationId: value === "none" ? null : value })
              }
              options={[
                ...view.elevations.map((elevation) => ({
                  value: elevation.id,
                  name: elevation.name,
                })),
                { value: "none", name: "None: the ellipsoid" },
              ]}
            />
          </Row>
          {!scene && (
            <Row label="Cell size, m">
              <NumberField
                label="Cell size"
                decimals={0}
                step={1}
                min={1}
                max={1000}
                value={cellM}
                onCommit={(m) => regrid(m, grid.crs)}
              />
            </Row>
          )}
          {!scene && (
            <GridSystem
              crs={grid.crs}
              proposed={proposeGrid(ring, cellM).crs}
              onPick={(crs) => regrid(cellM, crs)}
            />
          )}
          <Row label="Image takes">
            <Choice
              label="Resampling of the image"
              value={radarChain.terrain.resampling ?? "bilinear"}
              onChange={(resampling) => change("terrain", { resampling })}
              options={[
                { value: "nearest", name: "Nearest" },
                { value: "bilinear", name: "Bilinear" },
                { value: "cubic", name: "Cubic" },
              ]}
            />
          </Row>
          {radarChain.terrain.elevationId && (
            <Row label="Elevation takes">
              <Choice
                label="Resampling of the elevation"
                value={radarChain.terrain.elevationResampling ?? "bilinear"}
                onChange={(elevationResampling) => change("terrain", { elevationResampling })}
                options={[
                  { value: "nearest", name: "Nearest" },
                  { value: "bilinear", name: "Bilinear" },
                ]}
              />
            </Row>
          )}
          {outside("terrain")}
          <Row label="Incidence and hidden cells">
            <Choice
              label="Extra bands"
              value={radarChain.terrain.extras ? "on" : "off"}
              onChange={(value) => change("terrain", { extras: value === "on" })}
              options={ON}
            />
          </Row>
          <p className="text-label text-soft">
            {number(grid.width)} x {number(grid.height)} cells
            {degrees ? ` of ${number(grid.transform[1], 6)}°` : ""}.
          </p>
        </>
      );
    }
    case "acrossDates":
      return (
        <Row label="Window, cells">
          <Choice
            label="Window"
            value={String(radarChain.acrossDates.windowCells)}
            onChange={(value) => change("acrossDates", { windowCells: Number(value) })}
            options={["3", "5", "7", "9", "11"].map((value) => ({ value, name: value }))}
          />
        </Row>
      );
    case "decibel":
      return (
        <p className="text-soft">
          Zero and negative power have no decibel value and become nodata.
        </p>
      );
  }
}

import { sceneRoutes } from "@hindglance/contract/scenes";
import { call } from "../api/call";
import { useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { quantile } from "@hindglance/core/raster/histogram";
import { meanAndDeviation } from "@hindglance/core/raster/statistics";
import { sayError } from "../api/client";
import { keys } from "../api/hooks";
import { comparisonWarnings, seriesOf } from "@hindglance/core/chain/comparable";
import type { VerticalDatum } from "@hindglance/core/graph/image";
import type { Scene, Study } from "../api/types";
import { Section } from "../frame/Frame";
import { bytes, dayYear, number, time } from "../lib/format";
import { useUi } from "../state/ui";
import { Bars } from "../ui/Bars";
import { COMBINATIONS, bandsOfCombination } from "@hindglance/core/optical/wavelengths";
import { Button, Chip, Choice, Confirm, Labelled, Pick, Warning } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { passOf } from "./filters";
import { OverTime } from "../time/OverTime";
import { Join } from "./Join";
import { VERTICALS } from "./vertical";
import { Plus, X } from "lucide-react";
import { type Breaks, RAMPS, breakColours, usualBreaks } from "../map/ramps";
import { type Display, STRETCHES, asShown, rampOf, stretchOf } from "./display";

const KIND: Record<string, string> = {
  radar: "Radar",
  optical: "Optical",
  elevation: "Elevation",
  classes: "Classes",
  other: "Other",
};

/** What a radar product says of itself. */
function productRows(scene: Scene): [string, string][] {
  const detail = scene.detail;
  const grid = scene.info!.grid;
  return [
    ["Kind", "Radar product, ground range detected"],
    [
      "Taken",
      `${detail.start!.slice(0, 10)}, ${detail.start!.slice(11, 23)} to ${detail.stop!.slice(11, 23)} UTC`,
    ],
    [
      "Mission",
      `${detail.mission}, mode ${detail.mode}${detail.absoluteOrbit != null ? `, orbit ${number(detail.absoluteOrbit)}` : ""}`,
    ],
    ["Pass", `${detail.pass}, looks ${detail.look}`],
    ["Polarisations", detail.polarisations!.join(", ")],
    [
      "Spacing",
      `${number(detail.sampleSpacingM!, 1)} m in range, ${number(detail.lineSpacingM!, 1)} m in azimuth`,
    ],
    ...(detail.incidenceDeg
      ? [
          [
            "Incidence",
            `${number(detail.incidenceDeg[0], 1)} to ${number(detail.incidenceDeg[1], 1)}°`,
          ] as [string, string],
        ]
      : []),
    [
      "Size",
      `${number(detail.samples!)} × ${number(detail.lines!)} cells${detail.leftOut ? `, ${number(grid.width)} × ${number(grid.height)} kept` : ""}`,
    ],
    ["Geometry", "sensor; Prepare puts it on the map"],
    ...(scene.looks?.[0]
      ? [["Looks", `about ${number(scene.looks[0], 1)}, from even ground`] as [string, string]]
      : []),
    ["File", scene.fileName],
    ["", bytes(scene.fileSize)],
  ];
}

/** What the metadata of an optical scene say. */
function stackRows(scene: Scene): [string, string][] {
  const detail = scene.detail;
  const grid = scene.info!.grid;
  return [
    ["Kind", `Optical bands, level ${detail.level}`],
    ["Taken", `${dayYear(scene.acquiredAt!)}, ${time(new Date(scene.acquiredAt!).toISOString())}`],
    ["Mission", `${detail.mission}${detail.sensor ? `, ${detail.sensor}` : ""}`],
    ...(detail.sunElevationDeg != null
      ? [
          [
            "Sun",
            `${number(detail.sunElevationDeg, 1)}° high${detail.sunAzimuthDeg != null ? `, azimuth ${number(detail.sunAzimuthDeg, 0)}°` : ""}`,
          ] as [string, string],
        ]
      : []),
    ...(detail.cloudCoverPercent != null
      ? [["Cloud", `${number(detail.cloudCoverPercent, 0)} % by the metadata`] as [string, string]]
      : []),
    [
      "Size",
      `${number(grid.width)} × ${number(grid.height)} cells of ${number(Math.abs(grid.transform[1]), 0)} m`,
    ],
    ["Grid", grid.crs.name ?? grid.crs.code],
    ["Product", detail.product ?? ""],
    ["", bytes(scene.fileSize)],
  ];
}

/** The bands of an optical scene: which file holds each, and where in the spectrum it lies. */
function BandTable({ scene }: { scene: Scene }) {
  const cells = new Map(scene.detail.bandFiles?.map((file) => [file.band, file.cellM]));
  const files = new Map(scene.detail.bandFiles?.map((file) => [file.band, file.file]));
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
        {scene.info!.bands.map((band) => (
          <tr key={band.name} className="border-t border-line">
            <td>{band.name}</td>
            <td className="text-right font-mono">
              {band.wavelengthNm ? number(band.wavelengthNm) : "–"}
            </td>
            <td className="text-right font-mono">
              {number(cells.get(band.name) ?? Math.abs(scene.info!.grid.transform[1]), 0)}
            </td>
            <td className="max-w-[140px] truncate pl-3 text-soft" title={files.get(band.name)}>
              {files.get(band.name)}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/**
 * Stretch, gamma, and the colours of a single band: a ramp, or flat colours between named break
 * points.
 */
function Colours({
  scene,
  display,
  onDisplay,
}: {
  scene: Scene;
  display: Display;
  onDisplay(eachDisplay: Display): void;
}) {
  const band = scene.info!.bands[Math.min(display.bands[0], scene.info!.bands.length - 1)]!;
  const single = display.mode === "single";
  const ramp = rampOf(scene, display);
  const set = (x: Partial<Display>) => onDisplay({ ...display, ...x });
  const br = display.breaks;
  const start = (): Breaks =>
    usualBreaks(band) ?? {
      at: [
        Math.round(
          ((stretchOf(scene, display.bands[0], "p2").lo +
            stretchOf(scene, display.bands[0], "p2").hi) /
            2) *
            100,
        ) / 100,
      ],
      names: ["Low", "High"],
    };
  return (
    <div className="mb-2">
      <div className="mb-2 grid grid-cols-[1fr_auto_auto] items-center gap-2">
        <Pick
          label="Stretch"
          value={display.stretch}
          onChange={(stretch) => set({ stretch })}
          options={STRETCHES}
        />
        <Choice
          label="Stretch by"
          value={display.by}
          onChange={(by) => set({ by })}
          options={[
            { value: "scene", name: "Scene", hint: "Ends from the whole scene" },
            { value: "view", name: "View", hint: "Ends from what is on screen" },
          ]}
        />
        <span className="flex items-center gap-1 text-soft" title="Over 1 brightens the dark end">
          γ{" "}
          <NumberField
            label="Gamma"
            value={display.gamma}
            min={0.2}
            max={5}
            step={0.1}
            onCommit={(gamma) => set({ gamma })}
          />
        </span>
      </div>
      {single && (
        <div className="grid grid-cols-[1fr_auto] items-center gap-2">
          <Pick
            label="Ramp"
            value={ramp.id}
            onChange={(id) => set({ ramp: id })}
            options={RAMPS.map((r) => ({ value: r.id, name: r.name }))}
          />
          <Chip on={!!br} aria-pressed={!!br} onClick={() => set({ breaks: br ? null : start() })}>
            Break points
          </Chip>
        </div>
      )}
      {single && br && (
        <ul className="mt-2 space-y-1" aria-label="Break points">
          {br.names.map((name, k) => (
            <li key={k} className="flex items-center gap-2">
              <span
                aria-hidden
                className="h-3 w-3 shrink-0 rounded-[3px]"
                style={{ background: breakColours(br, ramp)[k] }}
              />
              <input
                aria-label={`Name of class ${k + 1}`}
                maxLength={40}
                className="h-7 min-w-0 flex-1 rounded-field border border-line bg-white px-2"
                value={name}
                onChange={(e) =>
                  set({
                    breaks: {
                      ...br,
                      names: br.names.map((n, j) => (j === k ? e.target.value : n)),
                    },
                  })
                }
              />
              {k < br.at.length && (
                <span className="flex items-center gap-1 text-soft">
                  up to{" "}
                  <NumberField
                    label={`Break point ${k + 1}`}
                    decimals={2}
                    step={0.05}
                    value={br.at[k]!}
                    onCommit={(value) =>
                      set({
                        breaks: {
                          at: br.at.map((x, j) => (j === k ? value : x)).sort((a, b) => a - b),
                          names: br.names,
                        },
                      })
                    }
                  />
                </span>
              )}
              {br.names.length > 2 && (
                <button
                  type="button"
                  aria-label={`Remove ${name}`}
                  className="text-soft hover:text-wrong"
                  onClick={() =>
                    set({
                      breaks: {
                        at: br.at.filter((_x, j) => j !== Math.min(k, br.at.length - 1)),
                        names: br.names.filter((_x, j) => j !== k),
                      },
                    })
                  }
                >
                  <X size={13} aria-hidden />
                </button>
              )}
            </li>
          ))}
          <li>
            <Button
              tone="quiet"
              className="h-6 px-1.5"
              disabled={br.names.length >= 9}
              onClick={() =>
                set({
                  breaks: {
                    at: [...br.at, Math.round((br.at.at(-1)! + 0.1) * 100) / 100],
                    names: [...br.names, `Class ${br.names.length + 1}`],
                  },
                })
              }
            >
              <Plus size={13} aria-hidden />
              Class
            </Button>
          </li>
        </ul>
      )}
    </div>
  );
}

/** What stands against comparing a scene with those that are chosen as before and after. */
function pairWarnings(study: Study, scenes: readonly Scene[], scene: Scene): string[] {
  const of = (s: Scene) => ({
    acquiredAt: s.acquiredAt,
    pass: passOf(s),
    incidenceDeg: s.detail.incidenceDeg ?? null,
  });
  const pair = study.compare ? [study.compare.beforeId, study.compare.afterId] : [];
  if (scene.kind === "elevation" || !scene.acquiredAt) {
    return [];
  }
  return scenes
    .filter(
      (s) => s.id !== scene.id && pair.includes(s.id) && s.kind === scene.kind && s.acquiredAt,
    )
    .flatMap((s) =>
      (s.acquiredAt! < scene.acquiredAt!
        ? comparisonWarnings(of(s), of(scene))
        : comparisonWarnings(of(scene), of(s))
      ).map(
        (w) =>
          `With ${s.id === pair[0] ? "before" : "after"}, ${dayYear(s.acquiredAt!)}: ${w[0]!.toLowerCase()}${w.slice(1)}`,
      ),
    );
}

/** Everything a scene says of itself, how its numbers are spread, and how it is drawn. */
export function SceneCard({
  study,
  scenes,
  scene,
  display,
  onDisplay,
}: {
  study: Study;
  scenes: readonly Scene[];
  scene: Scene;
  display: Display;
  onDisplay(next: Display): void;
}) {
  const queryClient = useQueryClient();
  const [dying, setDying] = useState(false);
  const info = scene.info!;
  const remove = useMutation({
    mutationFn: () => call(sceneRoutes.remove, { params: { id: scene.id } }),
    onSuccess: () => {
      void queryClient.invalidateQueries({ queryKey: keys.scenes(scene.studyId) });
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const vertical = useMutation({
    mutationFn: (value: VerticalDatum | null) =>
      call(sceneRoutes.update, { params: { id: scene.id }, body: { vertical: value } }),
    onSuccess: () => {
      for (const key of [
        keys.scenes(scene.studyId),
        keys.prepare(scene.studyId),
        keys.sides(scene.studyId),
      ]) {
        void queryClient.invalidateQueries({ queryKey: key });
      }
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const combinations = COMBINATIONS.flatMap((c) => {
    const bands = bandsOfCombination(info.bands, c.id);
    return bands ? [{ ...c, bands }] : [];
  });
  const compared = pairWarnings(study, scenes, scene);
  const series = seriesOf(scene, scenes);
  const last = info.bands.length - 1;
  const band = display.bands[0] > last ? last : display.bands[0];
  const histogram = scene.histograms?.[band];
  const statistics = scene.statistics?.[band];
  const b = info.bands[band]!;
  const product = scene.detail.form === "product";
  const power = b.role === "power" || b.role === "amplitude";
  const span = histogram
    ? ([quantile(histogram, 0.001), quantile(histogram, 0.999)] as const)
    : null;
  const show = asShown(scene, band);
  const dn = b.role === "dn" && !!b.gain;
  const stretch = stretchOf(scene, band, display.stretch, (value) => value);
  const digits = dn ? 3 : 1;
  const m = statistics ? meanAndDeviation(statistics) : null;
  const inDb = (value: number) =>
    `${number((b.role === "amplitude" ? 20 : 10) * Math.log10(value), 1)} dB`;
  const unit = b.unit ? ` ${b.unit}` : "";
  const options = info.bands.map((x, i) => ({ value: String(i), name: x.name }));
  const detail = scene.detail;
  let rows: [string, string][];
  if (product) {
    rows = productRows(scene);
  } else if (detail.form === "stack") {
    rows = stackRows(scene);
  } else {
    rows = [
      ["Kind", KIND[scene.kind] ?? scene.kind],
      ...(scene.acquiredAt
        ? [
            [
              "Taken",
              `${dayYear(scene.acquiredAt)}, ${time(new Date(scene.acquiredAt).toISOString())}`,
            ] as [string, string],
          ]
        : []),
      ...(scene.detail.items?.MISSION
        ? [["Mission", scene.detail.items.MISSION] as [string, string]]
        : []),
      ...(scene.detail.items?.PASS ? [["Pass", scene.detail.items.PASS] as [string, string]] : []),
      ...(scene.detail.items?.VERTICAL
        ? [["Heights above", scene.detail.items.VERTICAL] as [string, string]]
        : []),
      [
        "Size",
        `${number(info.grid.width)} × ${number(info.grid.height)} cells of ${number(Math.abs(info.grid.transform[1]), info.grid.transform[1] < 1 ? 5 : 0)}${/longlat/.test(info.grid.crs.proj4) ? "°" : " m"}`,
      ],
      ["Grid", `${info.grid.crs.name ?? info.grid.crs.code}`],
      ...(scene.looks?.[band]
        ? [["Looks", `about ${number(scene.looks[band], 1)}, from even ground`] as [string, string]]
        : []),
      ["File", scene.fileName],
      [
        "",
        `${bytes(scene.fileSize)}, ${scene.detail.sampleType ?? ""}${scene.detail.nodata != null ? `, nodata ${scene.detail.nodata}` : ""}`,
      ],
    ];
  }
  return (
    <>
      <Section
        title="Picture"
        right={
          info.type === "float32" && info.bands.length > 1 ? (
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
        {info.type === "float32" ? (
          <>
            {info.bands.length > 1 &&
              (display.mode === "single" ? (
                <div className="mb-2">
                  <Pick
                    label="Band"
                    value={String(band)}
                    onChange={(value) =>
                      onDisplay({
                        ...display,
                        bands: [Number(value), display.bands[1], display.bands[2]],
                      })
                    }
                    options={options}
                  />
                </div>
              ) : (
                <div className="mb-2 grid grid-cols-3 gap-2">
                  {(["Red", "Green", "Blue"] as const).map((name, k) => (
                    <div key={name}>
                      <span className="text-label text-soft">{name}</span>
                      <Pick
                        label={name}
                        value={String(display.bands[k])}
                        onChange={(value) =>
                          onDisplay({
                            ...display,
                            bands: display.bands.map((x, i) => (i === k ? Number(value) : x)) as [
                              number,
                              number,
                              number,
                            ],
                          })
                        }
                        options={options}
                      />
                    </div>
                  ))}
                </div>
              ))}
            {combinations.length > 0 && (
              <div
                className="mb-2 flex flex-wrap gap-1.5"
                role="group"
                aria-label="Ready combinations"
              >
                {combinations.map((combination) => (
                  <Chip
                    key={combination.id}
                    title={combination.hint}
                    on={
                      display.mode === "three" && combination.bands.join() === display.bands.join()
                    }
                    aria-pressed={
                      display.mode === "three" && combination.bands.join() === display.bands.join()
                    }
                    onClick={() =>
                      onDisplay({ ...display, mode: "three", bands: combination.bands })
                    }
                  >
                    {combination.name}
                  </Chip>
                ))}
              </div>
            )}
            <Colours scene={scene} display={display} onDisplay={onDisplay} />
            {histogram && span && (
              <>
                <Bars
                  histogram={histogram}
                  from={span[0]}
                  to={span[1]}
                  marks={[stretch.lo, stretch.hi]}
                  label={`Histogram of ${b.name}`}
                />
                <div className="flex justify-between font-mono text-label text-soft">
                  <span>{number(show(span[0]), digits)}</span>
                  <span>
                    {power
                      ? "dB"
                      : dn
                        ? info.optical?.level === 2
                          ? "surface reflectance"
                          : "reflectance, top of the air"
                        : b.unit}
                  </span>
                  <span>{number(show(span[1]), digits)}</span>
                </div>
              </>
            )}
          </>
        ) : (
          <ul className="space-y-1">
            {info.classes?.slice(0, 12).map((classInfo) => (
              <li key={classInfo.label} className="flex items-center gap-2">
                <span className="h-3 w-3 rounded-[3px]" style={{ background: classInfo.color }} />
                {classInfo.name}
              </li>
            ))}
          </ul>
        )}
        {statistics && m && info.type === "float32" && (
          <dl className="mt-2 grid grid-cols-4 gap-2 text-label">
            {(
              [
                [
                  "min",
                  statistics.min > 0 && power
                    ? inDb(statistics.min)
                    : dn
                      ? number(show(statistics.min), 3)
                      : number(statistics.min, power ? 4 : 1) + unit,
                ],
                [
                  "mean",
                  power ? inDb(m.mean) : dn ? number(show(m.mean), 3) : number(m.mean, 1) + unit,
                ],
                [
                  "max",
                  power
                    ? inDb(statistics.max)
                    : dn
                      ? number(show(statistics.max), 3)
                      : number(statistics.max, 1) + unit,
                ],
                ["valid", `${number((100 * statistics.valid) / statistics.cells, 1)} %`],
              ] as const
            ).map(([k, value]) => (
              <div key={k}>
                <dt className="text-soft">{k}</dt>
                <dd className="font-mono">{value}</dd>
              </div>
            ))}
          </dl>
        )}
      </Section>
      <Section title="What the file says">
        <dl className="grid grid-cols-[92px_1fr] gap-y-1">
          {rows.map(([k, value], i) => (
            <div key={i} className="contents">
              <dt className="text-soft">{k}</dt>
              <dd className="break-words">{value}</dd>
            </div>
          ))}
          <dt className="text-soft">SHA-256</dt>
          <dd className="truncate font-mono text-[11px] leading-[18px]" title={scene.fileSha256}>
            {scene.fileSha256}
          </dd>
        </dl>
        {detail.form === "stack" && <BandTable scene={scene} />}
        {[...(detail.leftOut ? [detail.leftOut] : []), ...(detail.warnings ?? [])].map((w) => (
          <div key={w} className="mt-2">
            <Warning>{w}</Warning>
          </div>
        ))}
        {compared.map((w) => (
          <div key={w} className="mt-2">
            <Warning>{w}</Warning>
          </div>
        ))}
        {scene.kind === "elevation" && (
          <div className="mt-3">
            <Labelled
              label="Heights are counted from"
              hint={
                b.vertical
                  ? undefined
                  : "Not known: taken as the ellipsoid. Places on the map lie off by up to 100 m if that is wrong."
              }
            >
              {(id) => (
                <Pick
                  id={id}
                  label="Heights are counted from"
                  value={b.vertical ?? "unknown"}
                  onChange={(value) => vertical.mutate(value === "unknown" ? null : value)}
                  options={VERTICALS}
                />
              )}
            </Labelled>
          </div>
        )}
        <div className="mt-3 flex gap-2">
          <Button onClick={() => setDying(true)}>Remove scene</Button>
          <Join scene={scene} scenes={scenes} />
          <OverTime
            key={scene.id}
            study={study}
            days={series.map((x) => x.acquiredAt!.slice(0, 10))}
            first="median"
            of={`the ${series.length} scenes with the bands and cells of this one`}
            path={`/studies/${study.id}/scenes/over-time`}
            more={{ like: scene.id }}
          />
        </div>
        <Confirm
          open={dying}
          onOpenChange={setDying}
          title={`Remove “${scene.name}”?`}
          act="Remove the scene"
          onAct={() => remove.mutate()}
          text="Change maps that were made from it stay, with the file's checksum in their provenance. The scene itself must be imported again if it is needed."
        />
      </Section>
    </>
  );
}

import type { SceneKind } from "@hindglance/core/scene/kinds";
import type { BandInfo, BandRole, VerticalDatum } from "@hindglance/core/graph/image";
import type { OpenRaster } from "../raster/raster";

/**
 * What a file says of itself as a scene; what it does not say is null or stands in `missing`, and
 * is asked for.
 */
export interface SceneDescription {
  kind: SceneKind | null;
  acquiredAt: string | null;
  bands: BandInfo[];
  missing: ("kind" | "acquiredAt" | "vertical" | "rescale")[];
}

const INDEX_WORDS = ["ndvi", "evi", "savi", "nbr", "mndwi", "ndwi", "ndmi", "lai", "fpar"] as const;

/**
 * Kind, time and polarisations from band names, tags and the file name. Never a guess where the
 * file is silent.
 */
export function describeScene(raster: OpenRaster, fileName: string): SceneDescription {
  const items = Object.fromEntries(
    Object.entries(raster.items).map(([k, value]) => [k.toUpperCase(), value]),
  );
  const stem = fileName.replace(/\.[^.]*$/, "");
  const words = (s: string) => s.toLowerCase().split(/[^a-z0-9]+/);
  const bandText = raster.bands.map((band) => band.name ?? "");
  const all = new Set([...words(stem), ...bandText.flatMap(words), ...words(items.KIND ?? "")]);
  const has = (...w: string[]) => w.some((x) => all.has(x));
  const index = INDEX_WORDS.find((w) => has(w)) ?? null;
  let kind: SceneKind | null;
  if (has("elevation", "dem", "dtm", "height")) {
    kind = "elevation";
  } else if (has("sigma0", "gamma0", "beta0", "vv", "vh", "hh", "hv", "backscatter")) {
    kind = "radar";
  } else if (raster.palette || has("classes", "landcover")) {
    kind = "classes";
  } else if (index) {
    kind = "other";
  } else {
    kind = null;
  }
  const vertical = verticalFrom(raster.verticalCode, items.VERTICAL ?? items.VERTICAL_DATUM ?? "");
  const bands = raster.bands.map((band, i): BandInfo => {
    const text = words(band.name ?? (raster.bands.length === 1 ? stem : ""));
    const polarisation = ["vv", "vh", "hh", "hv"]
      .find((path) => text.includes(path))
      ?.toUpperCase();
    const db = /^db$|decibel/i.test(band.unit ?? "") || text.includes("db");
    let role: BandRole;
    if (kind === "elevation") {
      role = "elevation";
    } else if (kind === "radar") {
      if (db) {
        role = "decibel";
      } else {
        role = "power";
      }
    } else if (kind === "classes") {
      role = "classes";
    } else {
      role = "value";
    }
    return {
      name:
        band.name ??
        polarisation ??
        (raster.bands.length === 1 && index ? index.toUpperCase() : `band ${i + 1}`),
      unit: band.unit ?? (role === "elevation" ? "m" : role === "decibel" ? "dB" : ""),
      role,
      ...(polarisation ? { polarisation } : {}),
      ...(role === "elevation" && vertical ? { vertical } : {}),
    };
  });
  const acquiredAt =
    timeFrom(items.ACQUIRED ?? items.ACQUISITION_TIME ?? "") ??
    timeFrom(stem) ??
    timeFrom((raster.dateTime ?? "").replace(/^(\d{4}):(\d\d):(\d\d) /, "$1-$2-$3T"));
  const missing: SceneDescription["missing"] = [];
  if (!kind) {
    missing.push("kind");
  }
  if (!acquiredAt && kind !== "elevation") {
    missing.push("acquiredAt");
  }
  if (kind === "elevation" && !vertical) {
    missing.push("vertical");
  }
  // Indices lie between −1 and 1: whole numbers of more than a byte stand for something else, and
  // only a scale says for what.
  if (
    index &&
    kind === "other" &&
    /^u?int(16|32)$/.test(raster.sampleType) &&
    raster.bands.every((band) => band.scale === 1)
  ) {
    missing.push("rescale");
  }
  return { kind, acquiredAt, bands, missing };
}

/**
 * First date in a text as ISO 8601 UTC: 2025-05-02, 20250502, with T184110, T18:41:10 or no time of
 * day (midnight); or the day of a year after an A: A2025122.
 */
export function timeFrom(s: string): string | null {
  const d0 = /(?<![A-Za-z0-9])A((?:19|20)\d\d)([0-3]\d\d)(?!\d)/.exec(s);
  const days = Number(d0?.[2]);
  if (d0) {
    const date = new Date(Date.UTC(Number(d0[1]), 0, days));
    return days >= 1 && date.getUTCFullYear() === Number(d0[1])
      ? date.toISOString().replace(/\.\d+Z$/, "Z")
      : null;
  }
  const match =
    /(?<!\d)((?:19|20)\d\d)-?(0[1-9]|1[0-2])-?(0[1-9]|[12]\d|3[01])(?:[T_ ]?([01]\d|2[0-3]):?([0-5]\d):?([0-5]\d))?(?![\d])/.exec(
      s,
    );
  if (!match) {
    return null;
  }
  const iso = `${match[1]}-${match[2]}-${match[3]}T${match[4] ?? "00"}:${match[5] ?? "00"}:${match[6] ?? "00"}Z`;
  const date = new Date(iso);
  return Number.isNaN(date.getTime()) || date.getUTCDate() !== Number(match[3]) ? null : iso;
}

/**
 * What heights are counted from, by the vertical reference code of the file (EPSG) or by words in
 * its description; null where it says neither.
 */
export function verticalFrom(code: number | null, words: string): VerticalDatum | null {
  const byCode: Record<number, VerticalDatum> = {
    4979: "ellipsoid",
    5030: "ellipsoid",
    5773: "egm96",
    5171: "egm96",
    3855: "egm2008",
  };
  return (
    (code !== null && byCode[code]) ||
    (/egm ?2008/i.test(words)
      ? "egm2008"
      : /egm ?(19)?96/i.test(words)
        ? "egm96"
        : /ellipsoid/i.test(words)
          ? "ellipsoid"
          : null)
  );
}

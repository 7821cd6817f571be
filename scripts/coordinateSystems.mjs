// Makes the tables of coordinate systems in formats/src/crs/tables from the open registry of geodetic
// parameters, as Debian's proj-bin has it. It takes some ten minutes; run it where proj-bin is installed:
//
//   node scripts/coordinateSystems.mjs [systems|shifts|checks|agreeing]
//
// Without a word all four are made, one after the other.
//
// datums.json   by code of a geographic system: the names that files give it and its datum, the code of
//               its datum, and its shifts to WGS 84 that need no grid, each with its accuracy in
//               metres (null: not stated), its area of use and seven parameters (position vector)
// systems.json  by code: name, projection with its ellipsoid but no shift, datum, area of use
// check.json    by code: places in the system and what proj-bin makes of them, for the tests
import { execFile } from "node:child_process";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { promisify } from "node:util";

const run = promisify(execFile);
const FOLDER = new URL("../formats/src/crs/tables/", import.meta.url);
const AUTHORITIES = new Set(["EPSG", "ESRI"]);
const ARC_SECOND = Math.PI / 648_000;

/** What projinfo prints; null where it knows no answer. */
async function projinfo(...args) {
  try {
    return (await run("projinfo", args, { maxBuffer: 64 << 20 })).stdout;
  } catch {
    return null;
  }
}

/** Does work on all items, a few at a time. */
async function each(items, work) {
  let next = 0;
  let done = 0;
  const go = async () => {
    while (next < items.length) {
      await work(items[next++]);
      if (++done % 500 === 0) {
        console.log(`${done} of ${items.length}`);
      }
    }
  };
  await Promise.all(Array.from({ length: 3 }, go));
}

/** Codes of a kind of system, the withdrawn ones too, that files still carry. */
async function codesOf(kind) {
  const text = await projinfo("--list-crs", `${kind},allow_deprecated`);
  const codes = text.split("\n").map((line) => line.split(" ")[0]);
  return codes.filter((code) => AUTHORITIES.has(code.split(":")[0]));
}

/** Parameters of a PROJ string: {proj: "utm", zone: "10", south: ""}. */
const parametersOf = (text) =>
  Object.fromEntries(
    text
      .trim()
      .split(/\s+/)
      .map((part) => part.replace(/^\+/, "").split("="))
      .map(([key, value]) => [key, value ?? ""]),
  );

const boxOf = (b) => b && [b.west_longitude, b.south_latitude, b.east_longitude, b.north_latitude];

/** A similarity of geocentric coordinates, X' = move + matrix X. */
const similarity = (step, negate) => {
  const value = (key) => Number(step[key] ?? 0);
  const sign = step.convention === "coordinate_frame" ? -1 : 1;
  const [rx, ry, rz] = ["rx", "ry", "rz"].map((key) => sign * value(key) * ARC_SECOND);
  const scale = 1 + value("s") * 1e-6;
  const matrix = [
    [scale, -scale * rz, scale * ry],
    [scale * rz, scale, -scale * rx],
    [-scale * ry, scale * rx, scale],
  ];
  let move = [value("x"), value("y"), value("z")];
  if (step.proj === "molobadekas") {
    // Turned about a point of its own.
    const pivot = [value("px"), value("py"), value("pz")];
    const turned = times(matrix, pivot);
    move = move.map((part, k) => part + pivot[k] - turned[k]);
  }
  return negate ? inverted({ move, matrix }) : { move, matrix };
};
const dot = (row, other) => row[0] * other[0] + row[1] * other[1] + row[2] * other[2];
const times = (matrix, place) => matrix.map((row) => dot(row, place));
const columnOf = (matrix, k) => matrix.map((row) => row[k]);
const product = (first, second) =>
  first.map((row) => [0, 1, 2].map((k) => dot(row, columnOf(second, k))));
const cofactor = (matrix, i, j) => {
  const [upper, lower] = matrix
    .filter((_row, k) => k !== i)
    .map((row) => row.filter((_cell, k) => k !== j));
  return ((i + j) % 2 ? -1 : 1) * (upper[0] * lower[1] - upper[1] * lower[0]);
};
function inverted({ move, matrix }) {
  const det = [0, 1, 2].reduce((sum, k) => sum + matrix[0][k] * cofactor(matrix, 0, k), 0);
  const back = [0, 1, 2].map((i) => [0, 1, 2].map((j) => cofactor(matrix, j, i) / det));
  return { move: times(back, move).map((part) => -part), matrix: back };
}
const after = (first, second) => ({
  move: times(second.matrix, first.move).map((part, k) => part + second.move[k]),
  matrix: product(second.matrix, first.matrix),
});

/** Seven parameters of a similarity, rotations as position vector: metres, arc seconds, parts per million. */
function sevenOf({ move, matrix }) {
  const scale = (matrix[0][0] + matrix[1][1] + matrix[2][2]) / 3;
  const turn = (i, j) => (matrix[i][j] - matrix[j][i]) / (2 * scale * ARC_SECOND);
  const round = (value, digits) => Number(value.toFixed(digits)) + 0;
  return [
    ...move.map((part) => round(part, 4)),
    round(turn(2, 1), 7),
    round(turn(0, 2), 7),
    round(turn(1, 0), 7),
    round((scale - 1) * 1e6, 7),
  ];
}

/** Steps of an operation that change nothing of where a place is. */
const PLAIN = /^(axisswap|unitconvert|push|pop|cart|noop|longlat)$/;

/** The seven parameters of an operation; null where it needs more than a similarity. */
function shiftOf(proj) {
  const steps = proj
    .split("+step")
    .map(parametersOf)
    .filter((step) => step.proj && step.proj !== "pipeline");
  let whole = { move: [0, 0, 0], matrix: [[1, 0, 0], [0, 1, 0], [0, 0, 1]] }; // prettier-ignore
  for (const step of steps) {
    if (step.proj === "helmert" || step.proj === "molobadekas") {
      whole = after(whole, similarity(step, "inv" in step));
    } else if (!PLAIN.test(step.proj)) {
      return null;
    }
  }
  return sevenOf(whole);
}

/** Shifts of a geographic system to WGS 84 that need no grid, in the order that the registry proposes. */
async function shiftsOf(code) {
  const text = await projinfo(
    ...["-s", code, "-t", "EPSG:4326", "--spatial-test", "intersects", "--grid-check", "none"],
    ...["--hide-ballpark", "-o", "PROJ,WKT2:2019", "--single-line"],
  );
  const shifts = [];
  for (const part of (text ?? "").split(/^Operation No\. \d+:$/m).slice(1)) {
    const proj = /PROJ string:\n(.*)/.exec(part)?.[1];
    const accuracy = /, ([\d.]+) m, /.exec(part)?.[1];
    const wkt = part.slice(part.indexOf("WKT2:2019 string:"));
    const boxes = [...wkt.matchAll(/BBOX\[([-\d.,]+)\]/g)];
    const [s, w, n, e] = (boxes.at(-1)?.[1] ?? "-90,-180,90,180").split(",").map(Number);
    const shift = proj && !/ballpark/i.test(part) ? shiftOf(proj) : null;
    const row = shift && [accuracy ? Number(accuracy) : null, [w, s, e, n], shift];
    // On land the registry's own program prefers others to those for the sea.
    if (row && /AREA\["[^"]*- offshore/.test(wkt)) {
      row.push("sea");
    }
    if (row && !shifts.some((other) => JSON.stringify(other) === JSON.stringify(row))) {
      shifts.push(row);
    }
  }
  return shifts;
}

/** What texts of coordinate systems call a geographic system and its datum, and the datum's code. */
async function namesOf(code) {
  const text = await projinfo(code, "-o", "WKT1:GDAL,WKT1:ESRI,WKT2:2019", "--single-line");
  const found = [...(text ?? "").matchAll(/(?:GEOGCS|GEOGCRS|DATUM|ENSEMBLE)\["([^"]+)"/g)];
  const datum = /AUTHORITY\["EPSG","(\d+)"\]\],PRIMEM/.exec(text ?? "")?.[1];
  return {
    names: [...new Set(found.map(([, name]) => name))],
    datum: datum ? Number(datum) : null,
  };
}

/** What of a PROJ string is neither of its ellipsoid nor of its shift. */
const NOT_KEPT = new Set(["a", "b", "rf", "R", "ellps", "datum", "towgs84", "nadgrids", "no_defs", "type", "wktext", "k_0"]); // prettier-ignore

/** The ellipsoid of a definition as a PROJ string. */
function ellipsoidOf(base, text) {
  const own = parametersOf(text);
  if (own.nadgrids === "@null") {
    return `+a=${own.a} +b=${own.b} +nadgrids=@null`;
  }
  const { ellipsoid } = base.datum ?? base.datum_ensemble;
  const metres = (length) =>
    typeof length === "object" ? length.value * length.unit.conversion_factor : length;
  if (ellipsoid.radius !== undefined) {
    return `+a=${metres(ellipsoid.radius)} +b=${metres(ellipsoid.radius)}`;
  }
  const rest =
    ellipsoid.inverse_flattening !== undefined
      ? `+rf=${ellipsoid.inverse_flattening}`
      : `+b=${metres(ellipsoid.semi_minor_axis)}`;
  return `+a=${metres(ellipsoid.semi_major_axis)} ${rest}`;
}

/** Whether a PROJ string's ellipsoid is about as large as the Earth: the registry knows other bodies too. */
const isEarth = (text) => Math.abs(Number(/\+a=(\S+)/.exec(text)[1]) / 6_371_000 - 1) < 0.01;

/** Whether northing or latitude comes first in the registry's own order of axes. */
function northFirst({ axis }) {
  const [first, second] = axis.map(({ direction }) => direction);
  const polar =
    first === second && /^northing/i.test(axis[0].name) && /^easting/i.test(axis[1].name);
  return (first === "north" && second === "east") || polar;
}

/** The code of a system that is given by its name alone; null where there is none. */
async function codeNamed(name) {
  const text = await projinfo(name, "-k", "crs", "-o", "PROJJSON", "--single-line", "-q");
  const { id } = text ? JSON.parse(text) : {};
  return id ? `${id.authority}:${id.code}` : null;
}

/** A system as projinfo tells it: PROJ string and JSON; null where it has no PROJ string. */
async function toldOf(code) {
  const text = (await projinfo(code, "-o", "PROJ,PROJJSON", "--single-line")) ?? "";
  const proj = /PROJ\.4 string:\n(.*)/.exec(text)?.[1]?.trim();
  const json = /PROJJSON:\n(.*)/.exec(text)?.[1];
  if (!json || !/\+proj=/.test(proj)) {
    return null;
  }
  const all = JSON.parse(json);
  const crs = all.type === "BoundCRS" ? all.source_crs : all;
  return { proj, crs, base: crs.base_crs ?? crs };
}

/** Projection and ellipsoid without the shift; null where they are not of the Earth, or not in degrees. */
function projectionOf({ proj, crs, base }) {
  const own = parametersOf(proj);
  const unit = crs.base_crs ? null : crs.coordinate_system.axis[0].unit;
  const ellipsoid = ellipsoidOf(base, proj);
  // A withdrawn code or two has a scale of a millionth: a unit was taken for another.
  const isScaled = Math.abs(Math.abs(Number(own.k ?? own.k_0 ?? 1)) - 1) < 0.5;
  if (own.proj === "ob_tran" || (unit && unit !== "degree") || !isEarth(ellipsoid) || !isScaled) {
    return null;
  }
  const kept = Object.entries(own).filter(([key]) => !NOT_KEPT.has(key));
  if (own.k_0) {
    kept.push(["k", own.k_0]);
  }
  const words = kept.map(([key, value]) => (value === "" ? `+${key}` : `+${key}=${value}`));
  return `${words.join(" ")} ${ellipsoid}`;
}

/** What is kept of a system; null where no PROJ string can say it. */
async function systemOf(code) {
  const told = await toldOf(code);
  const projection = told && projectionOf(told);
  if (!projection) {
    return null;
  }
  const { crs, base } = told;
  return {
    // Cities in names of local grids are written short.
    name: crs.name.replace(/San F\w+o/, "SF"),
    projection,
    datum: base.id ? `${base.id.authority}:${base.id.code}` : await codeNamed(base.name),
    area: boxOf(crs.bbox ?? crs.usages?.[0]?.bbox) ?? [-180, -90, 180, 90],
    swapped: northFirst(crs.coordinate_system),
  };
}

/** Places within an area of use: its middle, and two on the way to its corners. */
function placesIn([w, s, e, n]) {
  const width = e < w ? e + 360 - w : e - w;
  const at = (x, y) => [((w + x * width + 540) % 360) - 180, s + y * (n - s)];
  return [at(0.5, 0.5), at(0.2, 0.25), at(0.85, 0.8)];
}

/** Coordinates of places, as cs2cs prints them; NaN where it finds none. */
async function placed(from, to, points, digits) {
  const child = run("cs2cs", ["-f", `%.${digits}f`, from, to]);
  // A system that cs2cs does not compute ends it before it has read.
  child.child.stdin.on("error", () => undefined);
  child.child.stdin.end(points.map((place) => place.join(" ")).join("\n") + "\n");
  const { stdout } = await child.catch(() => ({ stdout: "" }));
  const rows = stdout.trim().split("\n").map((line) => line.split(/\s+/).slice(0, 2).map(Number)); // prettier-ignore
  return points.map((_p, k) => (rows[k]?.every(Number.isFinite) ? rows[k] : [NaN, NaN]));
}

/** Places of a system: their coordinates in it, and longitude and latitude by the registry's best way. */
async function checkOf(code, { area, swapped }) {
  const turned = ([lon, lat]) => [lat, lon];
  const inside = placesIn(area);
  const there = await placed("EPSG:4326", code, inside.map(turned), 4);
  const back = await placed(code, "EPSG:4326", there, 9);
  const rows = [];
  there.forEach((xy, k) => {
    const [lat, lon] = back[k];
    const [x, y] = swapped ? turned(xy) : xy;
    const near = Math.abs(lat - inside[k][1]) < 1e-3 && Math.cos((lat * Math.PI) / 180) * Math.abs(((lon - inside[k][0] + 540) % 360) - 180) < 1e-3; // prettier-ignore
    if (near && [x, y].every(Number.isFinite)) {
      rows.push([x, y, lon, lat]);
    }
  });
  return rows;
}

const sorted = (rows) => rows.sort(([a], [b]) => a.localeCompare(b, "en", { numeric: true }));

/** Writes a table, a row a line. */
function write(name, rows) {
  const lines = sorted(rows).map(
    ([key, value]) => `${JSON.stringify(key)}:${JSON.stringify(value)}`,
  );
  mkdirSync(FOLDER, { recursive: true });
  writeFileSync(new URL(name, FOLDER), `{\n${lines.join(",\n")}\n}\n`);
}
const read = (name) => Object.entries(JSON.parse(readFileSync(new URL(name, FOLDER), "utf8")));

const STAGES = {
  async systems() {
    const kinds = ["geographic_2d", "geographic_3d", "projected"];
    const codes = (await Promise.all(kinds.map(codesOf))).flat();
    const systems = [];
    await each(codes, async (code) => {
      const found = await systemOf(code);
      if (found) {
        systems.push([code, [found.name, found.projection, found.datum, found.area]]);
      }
    });
    write("systems.json", systems);
  },
  async shifts() {
    const codes = [...new Set(read("systems.json").map(([, [, , datum]]) => datum))];
    const datums = [];
    await each(codes.filter(Boolean), async (code) => {
      const { names, datum } = await namesOf(code);
      datums.push([code, [names, datum, await shiftsOf(code)]]);
    });
    write("datums.json", datums);
  },
  async checks() {
    const checks = [];
    await each(read("systems.json"), async ([code, [, , , area]]) => {
      const { swapped } = (await systemOf(code)) ?? {};
      checks.push([code, await checkOf(code, { area, swapped })]);
    });
    write("check.json", checks);
  },
  /**
   * Leaves out what comes out otherwise here than there, so that such a code is refused in words, and
   * keeps how far off the rest is where that is more than the registry states.
   */
  async agreeing() {
    const { stdout } = await run("node", ["scripts/run.mjs", "scripts/systemsThatAgree.ts"], {
      maxBuffer: 64 << 20,
    });
    const off = new Map(JSON.parse(stdout.trim().split("\n").at(-1)));
    const kept = (name) => read(name).filter(([code]) => off.has(code));
    write("check.json", kept("check.json"));
    write(
      "systems.json",
      kept("systems.json").map(([code, row]) => [
        code,
        off.get(code) ? [...row.slice(0, 4), off.get(code)] : row,
      ]),
    );
  },
};
const asked = process.argv[2];
for (const [name, stage] of Object.entries(STAGES)) {
  if (!asked || asked === name) {
    console.log(name);
    await stage();
  }
}

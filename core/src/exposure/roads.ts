import FlatQueue from "flatqueue";
import { METRES_A_DEGREE } from "../grid/metres";
import type { Position } from "../vector/polygons";
import type { LineOnMap } from "./assets";

/** A road with its name. */
export interface Road {
  name: string;
  line: LineOnMap;
}

/** A place that roads connect. */
export interface Place {
  name: string;
  at: Position;
}

/**
 * Where a road is under water: one stretch, or several with nothing between them but dry road that meets
 * no other and reaches no place.
 */
export interface RoadCut {
  name: string;
  /** Of all of its stretches. */
  metres: number;
  stretches: number;
  /** The middle of the longest of them, longitude and latitude. */
  at: Position;
  zone: number;
  /** The deepest water on it, metres; null where it was not measured. */
  deepestM: number | null;
  /** The nearest places that are still reached from either end; null where none is. */
  connects: [string | null, string | null];
  /** Metres of the shortest dry way round; null where there is none. */
  aroundM: number | null;
}

/** Dry stretches shorter than this between two wet ones do not part a cut. */
const LEAST_DRY_M = 30;
/** A place is reached by the nearest road that is no farther than this. */
const REACH_M = 500;
/** Decimals of a degree by which ends of roads meet: about a metre. */
const MEET_DECIMALS = 5;

const keyOf = ([lon, lat]: Position): string =>
  `${lon.toFixed(MEET_DECIMALS)} ${lat.toFixed(MEET_DECIMALS)}`;

/** Metres between places that lie close together, to a percent. */
const nearMetres = ([lon0, lat0]: Position, [lon1, lat1]: Position): number =>
  METRES_A_DEGREE * Math.hypot((lon1 - lon0) * Math.cos((lat0 * Math.PI) / 180), lat1 - lat0);

/** A wet stretch of a road, in metres from its start. */
interface Wet {
  from: number;
  to: number;
  zone: number;
  deepestM: number | null;
}

/** Wet stretches of a road, those that hardly part put together. */
function wetOf({ stretches }: LineOnMap, flooded: ReadonlySet<number>): Wet[] {
  const wets: Wet[] = [];
  for (const { from, to, label, zone, depth } of stretches) {
    if (!flooded.has(label)) {
      continue;
    }
    const deepestM = depth >= 0 ? depth : null;
    const last = wets.at(-1);
    if (last && from - last.to < LEAST_DRY_M) {
      last.to = to;
      last.deepestM = deeper(last.deepestM, deepestM);
    } else {
      wets.push({ from, to, zone, deepestM });
    }
  }
  return wets;
}

const deeper = (one: number | null, other: number | null): number | null =>
  one === null || other === null ? (one ?? other) : Math.max(one, other);

/** A road between two nodes. */
interface Edge {
  ends: [number, number];
  metres: number;
  isWet: boolean;
}

/** A network of roads: nodes where they meet or end, and edges between them. */
class Network {
  private count = 0;
  private readonly edges: Edge[] = [];
  private readonly at: number[][] = [];
  private readonly byKey = new Map<string, number>();

  node(place: Position): number {
    const key = keyOf(place);
    let node = this.byKey.get(key);
    if (node === undefined) {
      node = this.ownNode();
      this.byKey.set(key, node);
    }
    return node;
  }

  /** A node that only one road has, amid it. */
  ownNode(): number {
    this.at.push([]);
    return this.count++;
  }

  join(one: number, other: number, metres: number, isWet: boolean): void {
    const edge = this.edges.length;
    this.edges.push({ ends: [one, other], metres, isWet });
    this.at[one]!.push(edge);
    this.at[other]!.push(edge);
  }

  /** Metres over dry roads from a node to all others, as far as a visitor wants to go on. */
  from(start: number, visit: (node: number, metres: number) => boolean): void {
    const best = new Map<number, number>([[start, 0]]);
    const queue = new FlatQueue<number>();
    queue.push(start, 0);
    while (queue.length > 0) {
      const metres = queue.peekValue()!;
      const node = queue.pop()!;
      if (metres > best.get(node)!) {
        continue;
      }
      if (!visit(node, metres)) {
        return;
      }
      for (const k of this.at[node]!) {
        const { ends, metres: length, isWet } = this.edges[k]!;
        const next = ends[0] === node ? ends[1] : ends[0];
        const reached = metres + length;
        if (!isWet && reached < (best.get(next) ?? Infinity)) {
          best.set(next, reached);
          queue.push(next, reached);
        }
      }
    }
  }
}

/** The place of a line at a distance from its start. */
function placeAt({ places, along }: LineOnMap, metres: number): Position {
  let k = 0;
  while (k + 2 < along.length && along[k + 1]! < metres) {
    k++;
  }
  const [from, to] = [places[k]!, places[k + 1]!];
  const length = along[k + 1]! - along[k]!;
  const share = length > 0 ? Math.min(1, Math.max(0, (metres - along[k]!) / length)) : 0;
  return [from[0] + share * (to[0] - from[0]), from[1] + share * (to[1] - from[1])];
}

/** Corners that several roads have, and the ends of all. */
function meetingsOf(roads: readonly Road[]): Set<string> {
  const seen = new Map<string, number>();
  for (const { line } of roads) {
    const last = line.places.length - 1;
    line.places.forEach((place, k) => {
      const key = keyOf(place);
      seen.set(key, (seen.get(key) ?? 0) + (k === 0 || k === last ? 2 : 1));
    });
  }
  return new Set([...seen].filter(([, count]) => count > 1).map(([key]) => key));
}

/** Wet stretches that follow each other with nothing between, and the nodes at both ends of them. */
interface CutEdge {
  road: Road;
  wets: Wet[];
  ends: [number, number];
}

/** Puts wet stretches together that have none of some places of the road between them. */
function together(wets: readonly Wet[], stops: readonly number[]): Wet[][] {
  const groups: Wet[][] = [];
  for (const wet of wets) {
    const last = groups.at(-1);
    const end = last?.at(-1)!.to ?? 0;
    if (last && !stops.some((at) => at >= end && at <= wet.from)) {
      last.push(wet);
    } else {
      groups.push([wet]);
    }
  }
  return groups;
}

/** Where a place is reached from a road: metres from the start of it. */
interface Call {
  at: number;
  name: string;
}

/** A network with the names of the places that its nodes reach. */
interface NamedNetwork {
  network: Network;
  names: Map<number, string>;
}

/** Where a road has nodes: metres from its start. */
class Stops {
  private readonly all: { at: number; node: number }[] = [];

  constructor(private readonly network: Network) {}

  add(at: number, node: number): void {
    this.all.push({ at, node });
  }

  /** The node at a distance from the start; a new one where there is none yet. */
  nodeAt(at: number): number {
    const near = this.all.find((stop) => Math.abs(stop.at - at) < 0.5);
    if (near) {
      return near.node;
    }
    const node = this.network.ownNode();
    this.add(at, node);
    return node;
  }

  /** All of them from the start on. */
  inOrder(): { at: number; node: number }[] {
    return [...this.all].sort((one, other) => one.at - other.at);
  }
}

/** Puts a road into a network, parted where it meets others, where places are reached, where it is wet. */
function layRoad(
  { network, names }: NamedNetwork,
  road: Road,
  meetings: ReadonlySet<string>,
  { wets, calls }: { wets: readonly Wet[]; calls: readonly Call[] },
): CutEdge[] {
  const { places, along } = road.line;
  const stops = new Stops(network);
  places.forEach((place, k) => {
    if (meetings.has(keyOf(place))) {
      stops.add(along[k]!, network.node(place));
    }
  });
  for (const { at, name } of calls) {
    const node = stops.nodeAt(at);
    names.set(node, [names.get(node), name].filter(Boolean).join(", "));
  }
  const known = stops.inOrder().map(({ at }) => at);
  const nodes = new Map(wets.map((wet) => [wet, [stops.nodeAt(wet.from), stops.nodeAt(wet.to)]]));
  const cuts = together(wets, known).map((group): CutEdge => {
    const ends: [number, number] = [nodes.get(group[0]!)![0]!, nodes.get(group.at(-1)!)![1]!];
    return { road, wets: group, ends };
  });
  const ordered = stops.inOrder();
  for (let k = 0; k + 1 < ordered.length; k++) {
    const [from, to] = [ordered[k]!, ordered[k + 1]!];
    const middle = (from.at + to.at) / 2;
    const isWet = wets.some((wet) => wet.from <= middle && middle <= wet.to);
    network.join(from.node, to.node, to.at - from.at, isWet);
  }
  return cuts;
}

/** The place of a segment that is nearest to another one, as a share of it; degrees stand for metres there. */
function nearestShare([x0, y0]: Position, [x1, y1]: Position, [x, y]: Position): number {
  const scale = Math.cos((y * Math.PI) / 180);
  const [dx, dy] = [(x1 - x0) * scale, y1 - y0];
  const length = dx * dx + dy * dy;
  const share = length > 0 ? ((x - x0) * scale * dx + (y - y0) * dy) / length : 0;
  return Math.min(1, Math.max(0, share));
}

/** Where each place is reached: by the nearest road, if one is near enough. */
function callsOf(roads: readonly Road[], places: readonly Place[]): Call[][] {
  const calls = roads.map((): Call[] => []);
  for (const { name, at } of places) {
    let nearest = { road: -1, at: 0, metres: REACH_M };
    roads.forEach(({ line }, road) => {
      for (let k = 0; k + 1 < line.places.length; k++) {
        const share = nearestShare(line.places[k]!, line.places[k + 1]!, at);
        const along = line.along[k]! + share * (line.along[k + 1]! - line.along[k]!);
        const metres = nearMetres(placeAt(line, along), at);
        if (metres < nearest.metres) {
          nearest = { road, at: along, metres };
        }
      }
    });
    calls[nearest.road]?.push({ at: nearest.at, name });
  }
  return calls;
}

/**
 * Stretches of roads under water, what they connect, and the shortest dry way round. Roads meet in places
 * that they share to a metre; one that ends amid another without a corner of it there does not meet it.
 * @param flooded classes that a road cannot be used on
 */
export function roadCuts(
  roads: readonly Road[],
  places: readonly Place[],
  flooded: ReadonlySet<number>,
): RoadCut[] {
  const wets = roads.map(({ line }) => wetOf(line, flooded));
  if (wets.every((own) => own.length === 0)) {
    return [];
  }
  const network = new Network();
  const names = new Map<number, string>();
  const meetings = meetingsOf(roads);
  const calls = callsOf(roads, places);
  const cuts = roads.flatMap((road, k) =>
    layRoad({ network, names }, road, meetings, { wets: wets[k]!, calls: calls[k]! }),
  );
  const nearestFrom = (start: number): string | null => {
    let found: string | null = null;
    network.from(start, (node) => {
      found = names.get(node) ?? null;
      return found === null;
    });
    return found;
  };
  const between = ([start, end]: [number, number]): number | null => {
    let found: number | null = null;
    network.from(start, (node, metres) => {
      found = node === end ? metres : null;
      return found === null;
    });
    return found;
  };
  return cuts.map(({ road, wets: own, ends }) => {
    const longest = own.reduce((one, other) =>
      other.to - other.from > one.to - one.from ? other : one,
    );
    return {
      name: road.name,
      metres: own.reduce((sum, { from, to }) => sum + to - from, 0),
      stretches: own.length,
      at: placeAt(road.line, (longest.from + longest.to) / 2),
      zone: longest.zone,
      deepestM: own.reduce<number | null>((most, { deepestM }) => deeper(most, deepestM), null),
      connects: [nearestFrom(ends[0]), nearestFrom(ends[1])],
      aroundM: between(ends),
    };
  });
}

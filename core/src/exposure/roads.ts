import FlatQueue from "flatqueue";
import geodesic from "geographiclib-geodesic";
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

/** A stretch of a road under water. */
export interface RoadCut {
  name: string;
  metres: number;
  /** The middle of it, longitude and latitude. */
  at: Position;
  zone: number;
  /** The deepest water on it, metres; null where it was not measured. */
  deepestM: number | null;
  /** The nearest places that are still reached from either side; null where none is. */
  connects: [string | null, string | null];
  /** Metres of the shortest dry way round; null where there is none. */
  aroundM: number | null;
}

/** Dry stretches shorter than this between two wet ones do not part a cut. */
const LEAST_DRY_M = 30;
/** A place is reached by the node of the network that is no farther than this. */
const REACH_M = 2000;
/** Decimals of a degree by which ends of roads meet: about a metre. */
const MEET_DECIMALS = 5;

const keyOf = ([lon, lat]: Position): string =>
  `${lon.toFixed(MEET_DECIMALS)} ${lat.toFixed(MEET_DECIMALS)}`;

const metresBetween = ([lon0, lat0]: Position, [lon1, lat1]: Position): number =>
  geodesic.Geodesic.WGS84.Inverse(lat0, lon0, lat1, lon1).s12 ?? 0;

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
  readonly nodes: Position[] = [];
  private readonly edges: Edge[] = [];
  private readonly at: number[][] = [];
  private readonly byKey = new Map<string, number>();

  node(place: Position): number {
    const key = keyOf(place);
    let node = this.byKey.get(key);
    if (node === undefined) {
      node = this.nodes.length;
      this.byKey.set(key, node);
      this.nodes.push(place);
      this.at.push([]);
    }
    return node;
  }

  /** A node that only one road has, amid it. */
  ownNode(place: Position): number {
    this.nodes.push(place);
    this.at.push([]);
    return this.nodes.length - 1;
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

/** A wet stretch with the nodes at both of its ends. */
interface CutEdge extends Wet {
  road: Road;
  ends: [number, number];
}

/** Puts a road into a network, parted where it meets others and where it is wet. */
function layRoad(
  network: Network,
  road: Road,
  meetings: ReadonlySet<string>,
  wets: readonly Wet[],
): CutEdge[] {
  const { places, along } = road.line;
  const stops = places.flatMap((place, k) =>
    meetings.has(keyOf(place)) ? [{ at: along[k]!, node: network.node(place) }] : [],
  );
  const cuts: CutEdge[] = [];
  for (const wet of wets) {
    const ends = [wet.from, wet.to].map((at) => {
      const near = stops.find((stop) => Math.abs(stop.at - at) < 0.5);
      const node = near?.node ?? network.ownNode(placeAt(road.line, at));
      if (!near) {
        stops.push({ at, node });
      }
      return node;
    });
    cuts.push({ ...wet, road, ends: [ends[0]!, ends[1]!] });
  }
  stops.sort((one, other) => one.at - other.at);
  for (let k = 0; k + 1 < stops.length; k++) {
    const [from, to] = [stops[k]!, stops[k + 1]!];
    const middle = (from.at + to.at) / 2;
    const isWet = wets.some((wet) => wet.from <= middle && middle <= wet.to);
    network.join(from.node, to.node, to.at - from.at, isWet);
  }
  return cuts;
}

/** The node of a network that each place is reached by, with the names of its places. */
function reachedPlaces(network: Network, places: readonly Place[]): Map<number, string> {
  const names = new Map<number, string>();
  for (const { name, at } of places) {
    let nearest = { node: -1, metres: REACH_M };
    network.nodes.forEach((node, k) => {
      const metres = metresBetween(node, at);
      if (metres < nearest.metres) {
        nearest = { node: k, metres };
      }
    });
    if (nearest.node >= 0) {
      names.set(nearest.node, [names.get(nearest.node), name].filter(Boolean).join(", "));
    }
  }
  return names;
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
  const network = new Network();
  const meetings = meetingsOf(roads);
  const cuts = roads.flatMap((road) => layRoad(network, road, meetings, wetOf(road.line, flooded)));
  const names = cuts.length > 0 ? reachedPlaces(network, places) : new Map<number, string>();
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
  return cuts.map(({ road, from, to, zone, deepestM, ends }) => ({
    name: road.name,
    metres: to - from,
    at: placeAt(road.line, (from + to) / 2),
    ...{ zone, deepestM },
    connects: [nearestFrom(ends[0]), nearestFrom(ends[1])],
    aroundM: between(ends),
  }));
}

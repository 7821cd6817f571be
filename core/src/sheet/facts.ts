import type { Crs } from "../geodesy/crs";
import type { Ground, MapSide } from "./marks";

/** A value with the ends of its interval; those are null where they are not known. */
export interface Ranged {
  value: number;
  low: number | null;
  high: number | null;
}

/** A class of the map with what is known of how much of it there is. */
export interface SheetClass {
  label: number;
  name: string;
  color: string;
  /** As the tally counts it. */
  areaM2: number;
  /** By the probability of every cell, square metres; null where that is not counted. */
  probable: Ranged | null;
  /** By a sample that was looked at, square metres; null without one. */
  adjusted: Ranged | null;
  /** Shares, 0 to 1; null without a sample. */
  users: Ranged | null;
  producers: Ranged | null;
}

/** What a map of a sheet shows, in words. */
export interface SideFacts {
  /** The scene with its time; empty for the map of change. */
  caption: string;
  /** Why it cannot be drawn; null where it can. */
  lacks: string | null;
}

/** Sentences under a heading. */
export interface SheetSection {
  title: string;
  lines: readonly string[];
}

/** Rings of areas in some system, by the even-odd rule. */
export type Rings = readonly (readonly (readonly [number, number])[])[];

/** Everything that a sheet of a map can tell. */
export interface SheetFacts {
  title: string;
  subtitle: string;
  /** System of the maps, north up, and what ground the map has. */
  crs: Crs;
  ground: Ground;
  sides: Record<MapSide, SideFacts>;
  /** Ground of the detail where nobody picked one; null where there is nothing to show. */
  detail: Ground | null;
  classes: readonly SheetClass[];
  /** Area of all cells that both dates show, square metres. */
  seenM2: number;
  sources: readonly SheetSection[];
  notes: readonly SheetSection[];
  studyArea: Rings | null;
  zones: Rings;
  /** Land near the map in longitude and latitude, for the map of where it lies. */
  land: Rings;
  /** What made the map and when. */
  made: string;
}

import type { Grid } from "../grid/grid";
import type { SensorModel } from "../radar/sensor";

/** What the numbers of a band are; decides which steps may take it. */
export type BandRole =
  | "amplitude"
  | "dn"
  | "quality"
  | "power"
  | "decibel"
  | "change"
  | "elevation"
  | "slope"
  | "reflectance"
  | "mask"
  | "angle"
  | "hidden"
  | "haze"
  | "value"
  | "classes"
  | "thermal"
  | "temperature";

/** What heights are counted from: the WGS 84 ellipsoid, or the sea level of a geoid model. */
export type VerticalDatum = "ellipsoid" | "egm96" | "egm2008";
/**
 * `range`: lowest and highest value of a stored band, where a step needs to know it before it
 * reads. `vertical`: of elevation, where it is known.
 */
export interface BandInfo {
  name: string;
  unit: string;
  role: BandRole;
  polarisation?: string;
  wavelengthNm?: number;
  range?: [number, number];
  vertical?: VerticalDatum;
  /** Digital numbers to what they stand for: number · multiply + add. */ gain?: {
    multiply: number;
    add: number;
  };
  /**
   * Of thermal numbers whose gain gives radiance: constants of the detector that turn it into
   * kelvin.
   */ planck?: {
    k1: number;
    k2: number;
  };
}
export interface ClassInfo {
  label: number;
  name: string;
  color: string;
}

/**
 * What is known of an image without looking at its cells. Real-valued bands hold NaN where there is
 * nodata.
 */
export interface ImageInfo {
  grid: Grid;
  type: "float32" | "class8";
  bands: BandInfo[];
  classes?: ClassInfo[];
  /** How full-resolution cells of a stored image are kept; steps never see it. */
  stored?: "uint16";
  /** Geometry of an image that still lies in its sensor's lines and samples. */
  sensor?: SensorModel;
  /**
   * The sun at the time of an optical scene, and which level its numbers have: 1 needs the sun's
   * height, 2 is surface reflectance.
   */
  optical?: {
    level: 1 | 2;
    sunElevationDeg: number | null;
    sunAzimuthDeg: number | null;
    /** Level 1 numbers that are by the height of the sun already. */ bySun?: boolean;
  };
  /**
   * Which backscatter the power bands are; 'flat' is gamma nought with the terrain's area taken
   * out.
   */
  radiometry?: "beta" | "sigma" | "gamma" | "flat";
}

import type { Colour } from "./wavelengths";

export interface Index {
  id: string;
  name: string;
  formula: string;
  needs: readonly Colour[];
  range: readonly [number, number];
  source: string;
}

/** Indices on reflectance as formulas over colours. A zero denominator gives nodata. */
export const INDICES: readonly Index[] = [
  {
    id: "ndvi",
    name: "NDVI",
    formula: "(nir - red) / (nir + red)",
    needs: ["nir", "red"],
    range: [-1, 1],
    source: "Rouse et al. 1974",
  },
  {
    id: "savi",
    name: "SAVI",
    formula: "1.5 * (nir - red) / (nir + red + 0.5)",
    needs: ["nir", "red"],
    range: [-1.5, 1.5],
    source: "Huete 1988, L = 0.5",
  },
  {
    id: "evi",
    name: "EVI",
    formula: "2.5 * (nir - red) / (nir + 6 * red - 7.5 * blue + 1)",
    needs: ["nir", "red", "blue"],
    range: [-1, 1],
    source: "Huete et al. 2002",
  },
  {
    id: "nbr",
    name: "NBR",
    formula: "(nir - swir2) / (nir + swir2)",
    needs: ["nir", "swir2"],
    range: [-1, 1],
    source: "Key & Benson 2006",
  },
  {
    id: "ndwi",
    name: "NDWI",
    formula: "(green - nir) / (green + nir)",
    needs: ["green", "nir"],
    range: [-1, 1],
    source: "McFeeters 1996",
  },
  {
    id: "mndwi",
    name: "MNDWI",
    formula: "(green - swir1) / (green + swir1)",
    needs: ["green", "swir1"],
    range: [-1, 1],
    source: "Xu 2006",
  },
  {
    id: "ndmi",
    name: "NDMI",
    formula: "(nir - swir1) / (nir + swir1)",
    needs: ["nir", "swir1"],
    range: [-1, 1],
    source: "Gao 1996",
  },
];

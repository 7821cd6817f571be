/** Metadata of a made-up granule by the public specification. Sizes are in 10 m cells. */
export interface GranuleSpec {
  level: "1C" | "2A";
  name: string;
  time: string;
  mission: string;
  baseline: string;
  quantity: number;
  offset: number | null;
  epsg: number;
  ulx: number;
  uly: number;
  width: number;
  height: number;
  sunZenithDeg: number;
  sunAzimuthDeg: number;
  bands: readonly { id: string; nm: number }[];
}
const ORDER = [
  "B01",
  "B02",
  "B03",
  "B04",
  "B05",
  "B06",
  "B07",
  "B08",
  "B8A",
  "B09",
  "B10",
  "B11",
  "B12",
];

/** The two texts that a granule is read by: of the product, and of its tile. */
export function granuleXml(granuleSpec: GranuleSpec): { product: string; tile: string } {
  const at = (m: number) =>
    `<Size resolution="${m}"><NROWS>${Math.floor((granuleSpec.height * 10) / m)}</NROWS><NCOLS>${Math.floor((granuleSpec.width * 10) / m)}</NCOLS></Size><Geoposition resolution="${m}"><ULX>${granuleSpec.ulx}</ULX><ULY>${granuleSpec.uly}</ULY><XDIM>${m}</XDIM><YDIM>-${m}</YDIM></Geoposition>`;
  const level = granuleSpec.level;
  const time = granuleSpec.time.replace("Z", ".024Z");
  let offsets: string;
  if (granuleSpec.offset === null) {
    offsets = "";
  } else if (level === "2A") {
    offsets = `<BOA_ADD_OFFSET_VALUES_LIST>${ORDER.map((_b, k) => `<BOA_ADD_OFFSET band_id="${k}">${granuleSpec.offset}</BOA_ADD_OFFSET>`).join("")}</BOA_ADD_OFFSET_VALUES_LIST>`;
  } else {
    offsets = `<Radiometric_Offset_List>${ORDER.map((_b, k) => `<RADIO_ADD_OFFSET band_id="${k}">${granuleSpec.offset}</RADIO_ADD_OFFSET>`).join("")}</Radiometric_Offset_List>`;
  }
  const quantity =
    level === "2A"
      ? `<QUANTIFICATION_VALUES_LIST><BOA_QUANTIFICATION_VALUE unit="none">${granuleSpec.quantity}</BOA_QUANTIFICATION_VALUE></QUANTIFICATION_VALUES_LIST>`
      : `<QUANTIFICATION_VALUE unit="none">${granuleSpec.quantity}</QUANTIFICATION_VALUE>`;
  return {
    product: `<?xml version="1.0" encoding="UTF-8"?>\n<n1:Level-${level}_User_Product xmlns:n1="urn:granule-product"><n1:General_Info><Product_Info><PRODUCT_START_TIME>${time}</PRODUCT_START_TIME><PRODUCT_URI>${granuleSpec.name}.SAFE</PRODUCT_URI><PROCESSING_LEVEL>Level-${level}</PROCESSING_LEVEL><PROCESSING_BASELINE>${granuleSpec.baseline}</PROCESSING_BASELINE><Datatake><SPACECRAFT_NAME>${granuleSpec.mission}</SPACECRAFT_NAME></Datatake></Product_Info><Product_Image_Characteristics>${quantity}${offsets}<Spectral_Information_List>${granuleSpec.bands.map((band) => `<Spectral_Information bandId="${ORDER.indexOf(band.id)}" physicalBand="${band.id.replace("B0", "B")}"><Wavelength><CENTRAL unit="nm">${band.nm}</CENTRAL></Wavelength></Spectral_Information>`).join("")}</Spectral_Information_List></Product_Image_Characteristics></n1:General_Info><n1:Quality_Indicators_Info><Cloud_Coverage_Assessment>0.0</Cloud_Coverage_Assessment></n1:Quality_Indicators_Info></n1:Level-${level}_User_Product>\n`,
    tile: `<?xml version="1.0" encoding="UTF-8"?>\n<n1:Level-${level}_Tile_ID xmlns:n1="urn:granule-tile"><n1:General_Info><SENSING_TIME metadataLevel="Standard">${time}</SENSING_TIME></n1:General_Info><n1:Geometric_Info><Tile_Geocoding metadataLevel="Brief"><HORIZONTAL_CS_CODE>EPSG:${granuleSpec.epsg}</HORIZONTAL_CS_CODE>${[10, 20, 60].map(at).join("")}</Tile_Geocoding><Tile_Angles metadataLevel="Standard"><Mean_Sun_Angle><ZENITH_ANGLE unit="deg">${granuleSpec.sunZenithDeg.toFixed(4)}</ZENITH_ANGLE><AZIMUTH_ANGLE unit="deg">${granuleSpec.sunAzimuthDeg.toFixed(4)}</AZIMUTH_ANGLE></Mean_Sun_Angle></Tile_Angles></n1:Geometric_Info></n1:Level-${level}_Tile_ID>\n`,
  };
}

/** What a run ended with, as scripts read it. */
export const EXIT = {
  /** A map was made, and nothing speaks against it. */
  done: 0,
  /** No map was made. */
  failed: 1,
  /** What was asked for is not understood. */
  usage: 2,
  /** A map was made again, and is not the same. */
  differs: 3,
  /** A map was made, and is to be looked at before anybody uses it. */
  lookFirst: 4,
} as const;

/** How the command is called. */
export const USAGE = `bin/glance KIND --before FILE --after FILE --out FOLDER [more]
bin/glance pairs LIST.csv --out FOLDER [more]
bin/glance again MAP.account.json --inputs FOLDER --out FOLDER

Makes a first map of a change from two products, without a page: sheet, files, table, ledger.

KIND          flood, fire, greenness or from-to; or any word with --recipe
--before      product of the date before: a file, or a folder of its bands
--after       product of the date after
--out         folder that everything is written to; it is made where it is not there

--elevation   elevation of the ground, for radar products
--heights     what its heights are above, where its file does not say it: ellipsoid, egm96, egm2008
--orbit       orbit file of a radar product; may be given several times
--beside      another product of the place: an earlier date, or one of a second sensor, where the recipe
              asks for it; may be given several times
--area        study area: a file of polygons
--zones       zones that areas are counted by
--event       day or time of the event, such as 2025-05-12
--before-date, --after-date
              when a product was taken, where its files do not say it: a day, or a UTC time such as
              2025-05-02T18:41:10Z
--known       from-to: polygons of ground of known cover, with the class as a property, that hold for
              both dates; --known-before, --known-after: for one of them
--model       from-to: a trained model, as JSON, in place of those areas
--classified  from-to: both products are classified rasters already
--recipe      recipe to follow, as JSON
--files       files to make, with commas between them (usual: sheetPdf, sheetPng, cog, classTable, geojson, geoPackage, csv, xlsx, provenance, stac)
--name        what the map is called
--server      address of a running server that the study is made and kept on

LIST.csv has a head of before, after and, where wanted, name, elevation, area, event; one pair a line. A pair that
fails does not stop the rest; pairs.csv tells how each ended.

again makes maps of their accounts (Report, Files) and of the files that they were made from, wherever
those lie in the folder of --inputs and whatever they are called, and says whether the same bytes came out.
With --compare FOLDER the files that were handed over then are held against those that are made now, by name
(usual: cog, geojson, csv, provenance; others by --files): the same bytes, but for ids of the database and when they
were written. Files that are packed (kmz, xlsx, a zip) or databases themselves cannot be held so.

Ends with 0 where a map was made, 4 where it is to be looked at first, 1 where none was made, 2 where
the call is not understood, 3 where a map that was made again is not the same.
`;

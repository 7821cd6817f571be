import { randomUUID } from "node:crypto";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { levelCount } from "@hindglance/core/grid/grid";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { readSafe } from "@hindglance/formats/product/safe";
import type { Blob } from "../../db/blobs";
import type { ProductInspection } from "../../db/inspection";
import { createImage } from "../../db/images";
import type { Client } from "../../db/pool";
import { saveLuts } from "../../db/products";
import { findStudy } from "../../db/studies";
import { partGrid, partOf, partOutline } from "../part";
import { openUploaded } from "../inspect/uploaded";
import { type NewScene, beginImport } from "./beginImport";
import type { SaidOfScene, SceneServices } from "./said";

type Product = Awaited<ReturnType<typeof readSafe>>;
type Part = ReturnType<typeof partOf>["part"];

function infoOf(product: Product, part: Part): ImageInfo {
  return {
    grid: partGrid(randomUUID(), part),
    type: "float32",
    stored: "uint16",
    bands: product.polarisations.map(({ name }) => ({
      name: `amplitude ${name}`,
      unit: "DN",
      role: "amplitude",
      polarisation: name,
    })),
    sensor: product.sensor,
  };
}

/** What the page and the chain are told of the product. */
function detailOf(product: Product, part: Part, leftOut: string | null) {
  const { sensor } = product;
  return {
    form: "product",
    product: product.name,
    mission: product.mission,
    mode: product.mode,
    productType: product.productType,
    pass: product.pass,
    look: product.look,
    start: product.start,
    stop: product.stop,
    absoluteOrbit: product.absoluteOrbit,
    polarisations: product.polarisations.map(({ name }) => name),
    incidenceDeg: product.incidenceDeg,
    lines: sensor.lines,
    samples: sensor.samples,
    sampleSpacingM: sensor.sampleSpacingM,
    lineSpacingM: sensor.lineSpacingM,
    part,
    leftOut,
    warnings: product.warnings,
    outline: partOutline(sensor, part),
    sensor,
  };
}

/**
 * A radar product becomes a scene in sensor geometry; with a study area only the part that shows it
 * is kept.
 * @param inspection which files the product has, and when it was taken
 * @throws FormatError when it cannot be read
 * @throws AppError when it does not show the study area
 */
export async function fromProduct(
  { db, submit }: SceneServices,
  client: Client,
  studyId: string,
  blob: Blob,
  { files, acquiredAt }: ProductInspection,
  { name, detail: more }: SaidOfScene,
): Promise<NewScene> {
  const area = (await findStudy(client, studyId))!.studyArea;
  const product = await readSafe(await openUploaded(db, files));
  const { part, leftOut } = partOf(
    product.sensor,
    area ? multiPolygonFrom(area) : null,
    product.name,
  );
  const info = infoOf(product, part);
  const imageId = await createImage(client, info, levelCount(part.width, part.height));
  await saveLuts(client, imageId, product.luts);
  const { polarisations } = product;
  return beginImport(submit, client, {
    scene: {
      studyId,
      kind: "radar",
      name:
        name ??
        `${product.mission} ${product.mode}, ${acquiredAt.slice(0, 10)} ${acquiredAt.slice(11, 16)}`,
      acquiredAt,
      fileName: blob.name,
      fileSize: files.blobs.reduce((sum, file) => sum + file.size, 0),
      fileSha256: blob.sha256!,
      detail: { ...detailOf(product, part, leftOut), ...more },
    },
    blobIds: files.blobs.map(({ id }) => id),
    kind: "importProduct",
    title: `Import ${product.name}`,
    params: { imageId, info, fileName: blob.name, files, polarisations, part, leftOut },
  });
}

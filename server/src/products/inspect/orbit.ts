import { gapsOf, utcText } from "@hindglance/core/radar/orbit";
import { readOrbitFile } from "@hindglance/formats/product/orbitFile";
import { type Blob, BlobSource, deleteBlob } from "../../db/blobs";
import type { OrbitInspection } from "../../db/inspection";
import { type Client, lending } from "../../db/pool";
import { type StoredOrbit, saveOrbit } from "../../db/products";
import { listScenes } from "../../db/scenes";
import { addToLedger, touchStudy } from "../../db/studies";
import { orbitView } from "../orbits";

/** Bytes of an orbit file that are read at most. */
const MOST_BYTES = 50 << 20;

/**
 * Takes an orbit file into its study; the upload is gone then. Orbit files are small and need no
 * answer: they are taken at once. @throws FormatError when it is none
 */
export async function takeOrbit(client: Client, blob: Blob): Promise<OrbitInspection> {
  const stored = await storeOrbit(client, blob);
  await deleteBlob(client, blob.id);
  const scenes = await listScenes(client, blob.studyId!);
  return {
    form: "orbit",
    orbitId: stored.id,
    mission: stored.mission,
    orbitKind: stored.kind,
    from: utcText(stored.from),
    to: utcText(stored.to),
    scenes: orbitView(stored, scenes).serves,
  };
}

/**
 * Reads an orbit file and keeps it with its study.
 * @throws FormatError when it cannot be read
 */
export async function storeOrbit(client: Client, blob: Blob): Promise<StoredOrbit> {
  const source = new BlobSource(lending(client), blob.id, blob.size);
  const orbit = readOrbitFile(await source.read(0, Math.min(blob.size, MOST_BYTES)), blob.name);
  const stored = await saveOrbit(client, {
    studyId: blob.studyId!,
    fileName: blob.name,
    fileSha256: blob.sha256!,
    mission: orbit.mission,
    kind: orbit.kind,
    from: orbit.vectors[0]!.t,
    to: orbit.vectors.at(-1)!.t,
    gaps: gapsOf(orbit.vectors),
    vectors: orbit.vectors,
  });
  await addToLedger(client, blob.studyId!, "Orbit file imported", {
    orbit: stored.id,
    file: blob.name,
    sha256: blob.sha256,
    mission: orbit.mission,
    kind: orbit.kind,
  });
  await touchStudy(client, blob.studyId!);
  return stored;
}

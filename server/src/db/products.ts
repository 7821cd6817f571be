import type { StateVector } from "@hindglance/core/radar/orbit";
import type { ProductLuts } from "@hindglance/core/radar/luts";
import type { Client } from "./pool";

/** Look-up tables of a product's image, or null. */
export const findLuts = async (client: Client, image: string): Promise<ProductLuts | null> =>
  (
    await client.query<{ luts: ProductLuts }>("SELECT luts FROM product_luts WHERE image_id = $1", [
      image,
    ])
  ).rows[0]?.luts ?? null;

/** Keeps look-up tables beside a product's image. */
export const saveLuts = async (client: Client, image: string, luts: ProductLuts): Promise<void> => {
  await client.query("INSERT INTO product_luts (image_id, luts) VALUES ($1, $2)", [image, luts]);
};

/** An orbit file of a study; times in seconds since 2000 (see utcSeconds). */
export interface StoredOrbit {
  id: string;
  studyId: string;
  fileName: string;
  fileSha256: string;
  mission: string;
  kind: "precise" | "restituted";
  from: number;
  to: number;
  /** Spans in between without vectors. */
  gaps: [from: number, to: number][];
  createdAt: string;
}
const ORBIT = `
  id, study_id AS "studyId", file_name AS "fileName", file_sha256 AS "fileSha256",
  mission, kind, valid_from AS "from", valid_to AS "to", gaps, created_at AS "createdAt"
`;

/** Orbit files of a study. */
export const listOrbits = async (client: Client, study: string): Promise<StoredOrbit[]> =>
  (
    await client.query<StoredOrbit>(
      `
        SELECT ${ORBIT}
        FROM orbit_file
        WHERE study_id = $1
        ORDER BY valid_from, created_at
      `,
      [study],
    )
  ).rows;
/** Vectors of an orbit file around a time span, so many seconds on both sides. */
export async function orbitVectors(
  client: Client,
  id: string,
  from: number,
  to: number,
  marginS = 100,
): Promise<StateVector[]> {
  const all =
    (
      await client.query<{ vectors: StateVector[] }>(
        "SELECT vectors FROM orbit_file WHERE id = $1",
        [id],
      )
    ).rows[0]?.vectors ?? [];
  return all.filter(
    (stateVector) => stateVector.t >= from - marginS && stateVector.t <= to + marginS,
  );
}
/** The same file twice is one. */
export async function saveOrbit(
  client: Client,
  orbit: Omit<StoredOrbit, "id" | "createdAt"> & { vectors: StateVector[] },
): Promise<StoredOrbit> {
  const old = (
    await client.query<StoredOrbit>(
      `
        SELECT ${ORBIT}
        FROM orbit_file
        WHERE study_id = $1
          AND file_sha256 = $2
      `,
      [orbit.studyId, orbit.fileSha256],
    )
  ).rows[0];
  return (
    old ??
    (
      await client.query<StoredOrbit>(
        `
          INSERT INTO orbit_file (
              study_id,
              file_name,
              file_sha256,
              mission,
              kind,
              valid_from,
              valid_to,
              gaps,
              vectors
            )
          VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)
          RETURNING ${ORBIT}
        `,
        [
          orbit.studyId,
          orbit.fileName,
          orbit.fileSha256,
          orbit.mission,
          orbit.kind,
          orbit.from,
          orbit.to,
          JSON.stringify(orbit.gaps),
          JSON.stringify(orbit.vectors),
        ],
      )
    ).rows[0]!
  );
}

/** Deletes an orbit file; gives its study, or null where there is none such. */
export const deleteOrbit = async (client: Client, id: string): Promise<string | null> =>
  (
    await client.query<{ study_id: string }>(
      "DELETE FROM orbit_file WHERE id = $1 RETURNING study_id",
      [id],
    )
  ).rows[0]?.study_id ?? null;

/** A computed image that is kept under its node's hash. */
export interface KeptImage {
  hash: string;
  imageId: string;
  sceneId: string;
  step: string;
  steps: Record<string, string>;
  createdAt: string;
  cells: number;
}

/** Kept results of the scenes of a study. */
export const listKept = async (client: Client, study: string): Promise<KeptImage[]> =>
  (
    await client.query<KeptImage>(
      `
        SELECT
          k.hash,
          k.image_id AS "imageId",
          k.scene_id AS "sceneId",
          k.step,
          k.steps,
          k.created_at AS "createdAt",
          (
            (i.info -> 'grid' ->> 'width')::float8
            * (i.info -> 'grid' ->> 'height')::float8
            * jsonb_array_length(i.info -> 'bands')
          ) AS cells
        FROM kept_image k
          JOIN image i ON i.id = k.image_id
          JOIN scene s ON s.id = k.scene_id
        WHERE s.study_id = $1
        ORDER BY k.created_at DESC
      `,
      [study],
    )
  ).rows;

/** Images of kept results by their hashes; those that are not kept are left out. */
export const findKept = async (
  client: Client,
  hashes: readonly string[],
): Promise<Map<string, string>> =>
  new Map(
    (
      await client.query<{ hash: string; image_id: string }>(
        "SELECT hash, image_id FROM kept_image WHERE hash = ANY($1)",
        [hashes],
      )
    ).rows.map((row) => [row.hash, row.image_id]),
  );

/** Kept results by their hashes, with the scene and the step that they are of. */
export const keptBy = async (
  client: Client,
  hashes: readonly string[],
): Promise<{ hash: string; sceneId: string; step: string; steps: Record<string, string> }[]> =>
  (
    await client.query<{
      hash: string;
      sceneId: string;
      step: string;
      steps: Record<string, string>;
    }>(`SELECT hash, scene_id AS "sceneId", step, steps FROM kept_image WHERE hash = ANY($1)`, [
      hashes,
    ])
  ).rows;

/** Keeps an image as the result of a node. */
export const saveKept = async (
  client: Client,
  k: {
    hash: string;
    imageId: string;
    sceneId: string;
    step: string;
    steps: Record<string, string>;
  },
): Promise<void> => {
  await client.query(
    `
      INSERT INTO kept_image (hash, image_id, scene_id, step, steps)
      VALUES ($1, $2, $3, $4, $5)
      ON CONFLICT (hash) DO UPDATE
      SET
        image_id = EXCLUDED.image_id,
        scene_id = EXCLUDED.scene_id,
        step = EXCLUDED.step,
        steps = EXCLUDED.steps
    `,
    [k.hash, k.imageId, k.sceneId, k.step, k.steps],
  );
};

/** Lets kept results go; their images are swept by the caller. Gives how many there were. */
export const deleteKept = async (client: Client, hashes: readonly string[]): Promise<number> =>
  (await client.query("DELETE FROM kept_image WHERE hash = ANY($1)", [hashes])).rowCount ?? 0;

import { createHash } from "node:crypto";
import { gunzipSync, gzipSync } from "node:zlib";
import type { Model } from "@hindglance/core/classify/model";
import { modelFrom, modelText } from "@hindglance/core/classify/modelText";
import type { ClassifySettings } from "@hindglance/core/classify/settings";
import type { Client } from "./pool";

/** What a study's dates are classified by, and how often that was changed. */
export interface Classification {
  version: number;
  settings: ClassifySettings;
}

/** What the dates of a study are classified by; null where nobody has set anything yet. */
export const findClassification = async (
  client: Client,
  study: string,
): Promise<Classification | null> =>
  (
    await client.query<Classification>(
      "SELECT version, settings FROM classification WHERE study_id = $1",
      [study],
    )
  ).rows[0] ?? null;

/** Sets it, and raises its version. */
export async function saveClassification(
  client: Client,
  study: string,
  settings: ClassifySettings,
): Promise<Classification> {
  return (
    await client.query<Classification>(
      `
        INSERT INTO classification (study_id, settings)
        VALUES ($1, $2)
        ON CONFLICT (study_id) DO UPDATE
        SET settings = EXCLUDED.settings, version = classification.version + 1
        RETURNING version, settings
      `,
      [study, settings],
    )
  ).rows[0]!;
}

/** Stores a model of a study; gives its name, which follows from its content. */
export async function saveModel(client: Client, study: string, model: Model): Promise<string> {
  const text = modelText(model);
  const id = createHash("sha256").update(text).digest("hex").slice(0, 32);
  await client.query(
    `
      INSERT INTO model (study_id, id, text)
      VALUES ($1, $2, $3)
      ON CONFLICT (study_id, id) DO NOTHING
    `,
    [study, id, gzipSync(text)],
  );
  return id;
}

/** The JSON text of a model by its name, in whatever study it stands; null where there is none. */
export async function findModelText(client: Client, id: string): Promise<string | null> {
  const { rows } = await client.query<{ text: Buffer }>(
    "SELECT text FROM model WHERE id = $1 LIMIT 1",
    [id],
  );
  return rows[0] ? gunzipSync(rows[0].text).toString() : null;
}

/** A model by its name; null where there is none. */
export async function findModel(client: Client, id: string): Promise<Model | null> {
  const text = await findModelText(client, id);
  return text === null ? null : modelFrom(text);
}

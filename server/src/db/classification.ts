import { createHash } from "node:crypto";
import { gunzipSync, gzipSync } from "node:zlib";
import type { Application } from "@hindglance/core/classify/application";
import type { Model, ModelClass } from "@hindglance/core/classify/model";
import { modelFrom, modelText } from "@hindglance/core/classify/modelText";
import type { ClassifySettings } from "@hindglance/core/classify/settings";
import type { Client } from "./pool";
import { addToLedger } from "./studies";

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

/** The line of the ledger that tells what classes were taught by. */
const TAUGHT = "Legend and areas set";

/**
 * Writes legend, areas and how classes are told into the ledger, where they are others than its last
 * line of this kind says. Called before classes are made of them: what somebody draws for a while is
 * one line, not a hundred.
 */
export async function tellClassification(client: Client, study: string): Promise<void> {
  const found = await findClassification(client, study);
  if (!found) {
    return;
  }
  const { fromTo: _pair, unlikely: _named, ...taught } = found.settings;
  const { rows } = await client.query<{ isSame: boolean }>(
    `
      SELECT detail = $3::jsonb AS "isSame"
      FROM ledger
      WHERE study_id = $1
        AND what = $2
      ORDER BY id DESC
      LIMIT 1
    `,
    [study, TAUGHT, taught],
  );
  if (!rows[0]?.isSame) {
    await addToLedger(client, study, TAUGHT, taught);
  }
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

/** A model that somebody kept under a name. */
export interface KeptModel extends Application {
  id: string;
  studyId: string;
  studyName: string;
  name: string;
  inputs: string[];
  classes: ModelClass[];
}

const KEPT = `
  model.id, model.study_id AS "studyId", study.name AS "studyName", kept ->> 'name' AS name,
  kept -> 'method' AS method, kept -> 'priors' AS priors, kept -> 'reject' AS reject,
  kept -> 'extras' AS extras, kept -> 'inputs' AS inputs, kept -> 'classes' AS classes
`;

/** Models that are kept under names, in every study; those of a study first. */
export const listKeptModels = async (client: Client, study: string): Promise<KeptModel[]> =>
  (
    await client.query<KeptModel>(
      `
        SELECT ${KEPT}
        FROM model
          JOIN study ON study.id = study_id
        WHERE kept IS NOT NULL
        ORDER BY (study_id = $1) DESC, kept ->> 'name', model.created_at
      `,
      [study],
    )
  ).rows;

/** A kept model by its id, of a study itself where it has it; null where there is none. */
export const findKeptModel = async (
  client: Client,
  study: string,
  id: string,
): Promise<KeptModel | null> =>
  (
    await client.query<KeptModel>(
      `
        SELECT ${KEPT}
        FROM model
          JOIN study ON study.id = study_id
        WHERE kept IS NOT NULL
          AND model.id = $2
        ORDER BY (study_id = $1) DESC
        LIMIT 1
      `,
      [study, id],
    )
  ).rows[0] ?? null;

/** Keeps a model of a study under a name, with how it is applied; whether it is there. */
export const keepModel = async (
  client: Client,
  study: string,
  id: string,
  kept: Omit<KeptModel, "id" | "studyId" | "studyName">,
): Promise<boolean> =>
  (
    await client.query("UPDATE model SET kept = $3 WHERE study_id = $1 AND id = $2 RETURNING id", [
      study,
      id,
      kept,
    ])
  ).rows.length > 0;

/** Takes the name of a model away; maps by it stay. Whether it was there. */
export const forgetModel = async (client: Client, study: string, id: string): Promise<boolean> =>
  (
    await client.query(
      `
        UPDATE model
        SET kept = NULL
        WHERE study_id = $1
          AND id = $2
          AND kept IS NOT NULL
        RETURNING id
      `,
      [study, id],
    )
  ).rows.length > 0;

/** A study gets a model of another study too, so that its maps do not depend on that. */
export const lendModel = async (client: Client, study: string, id: string): Promise<void> => {
  await client.query(
    `
      INSERT INTO model (study_id, id, text)
      SELECT $1, id, text
      FROM model
      WHERE id = $2
      LIMIT 1
      ON CONFLICT (study_id, id) DO NOTHING
    `,
    [study, id],
  );
};

import { actor } from "../actor";
import type { FileFormat } from "@hindglance/contract/files";
import type { KeptRecipe, RecipeLine, RecipeRun, RecipeStage } from "@hindglance/contract/recipes";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { Recipe } from "@hindglance/core/recipe/recipe";
import type { Client } from "./pool";

const KEPT = `id, name, version, created_at AS "createdAt", recipe`;

/** Recipes by name, of each the newest version first. */
export const listRecipes = async (client: Client): Promise<KeptRecipe[]> =>
  (
    await client.query<KeptRecipe>(
      `SELECT ${KEPT} FROM recipe ORDER BY lower(name), name, version DESC`,
    )
  ).rows;

/** Keeps a recipe as the next version of its name. */
export async function keepRecipe(client: Client, recipe: Recipe): Promise<KeptRecipe> {
  // Two who save at once get two versions.
  await client.query("SELECT pg_advisory_xact_lock(hashtext('recipe ' || $1))", [recipe.name]);
  const { rows } = await client.query<KeptRecipe>(
    `
      INSERT INTO recipe (name, version, recipe)
      SELECT $1, coalesce(max(version), 0) + 1, $2
      FROM recipe
      WHERE name = $1
      RETURNING ${KEPT}
    `,
    [recipe.name, recipe],
  );
  return rows[0]!;
}

/** Deletes a version of a recipe; whether it was there. */
export const deleteRecipe = async (client: Client, id: string): Promise<boolean> =>
  (await client.query("DELETE FROM recipe WHERE id = $1", [id])).rowCount === 1;

/** What a stage leaves for later ones. */
export interface RecipeNotes {
  /** Settings that the pair is compared with, and what is not sure of it. */
  setup?: ChangeSetup;
  notSure?: string[];
  /** Both dates as they were classified. */
  covers?: { beforeId: string; afterId: string };
  /** The run that writes the map. */
  writing?: string;
  /** The stage that has worked, and whether it works again. */
  worked?: RecipeStage | null;
  again?: boolean;
}

/** A run of a recipe as it is kept. */
export interface KeptRecipeRun extends Omit<RecipeRun, "progress"> {
  files: FileFormat[];
  /** Runs that it waits for at its stage. */
  waits: string[];
  notes: RecipeNotes;
  /** Who began it, as it was said. */
  actor: string | null;
}

const RUN = `
  r.id, r.study_id AS "studyId", s.name AS study, r.name, r.recipe, r.files,
  r.before_id AS "beforeId", r.after_id AS "afterId", b.name AS before, a.name AS after,
  r.state, r.stage, r.waits, r.notes, r.actor, r.log, r.look_first AS "lookFirst", r.made,
  r.created_at AS "createdAt", r.ended_at AS "endedAt"
`;
const FROM = `
  FROM recipe_run r
    JOIN study s ON s.id = r.study_id
    JOIN scene b ON b.id = r.before_id
    JOIN scene a ON a.id = r.after_id
`;

/** Runs of recipes in a study, the newest first. */
export const listRecipeRuns = async (client: Client, study: string): Promise<KeptRecipeRun[]> =>
  (
    await client.query<KeptRecipeRun>(
      `SELECT ${RUN} ${FROM} WHERE r.study_id = $1 ORDER BY r.created_at DESC, r.id`,
      [study],
    )
  ).rows;

/** A run of a recipe, or null. */
export const findRecipeRun = async (client: Client, id: string): Promise<KeptRecipeRun | null> =>
  (await client.query<KeptRecipeRun>(`SELECT ${RUN} ${FROM} WHERE r.id = $1`, [id])).rows[0] ??
  null;

/** How long a server that says nothing any more still holds a run, seconds. */
const HELD_S = 15;

/**
 * The oldest run of each study that goes on, held by this server from now on or still: one study does
 * one thing after the other, and one server does it.
 */
export const holdRecipeRuns = async (client: Client, holder: string): Promise<string[]> =>
  (
    await client.query<{ id: string }>(
      `
        UPDATE recipe_run
        SET holder = $1,
          held_at = clock_timestamp()
        WHERE id IN (
            SELECT DISTINCT ON (study_id) id
            FROM recipe_run
            WHERE state = 'running'
            ORDER BY study_id, created_at, id
          )
          AND (
            holder IS NULL
            OR holder = $1
            OR held_at < clock_timestamp() - make_interval(secs => $2)
          )
        RETURNING id
      `,
      [holder, HELD_S],
    )
  ).rows.map(({ id }) => id);

/** What a run of a recipe is begun with. */
export interface NewRecipeRun {
  studyId: string;
  name: string;
  recipe: Recipe;
  files: readonly FileFormat[];
  beforeId: string;
  afterId: string;
}

/** Begins a run of a recipe; gives its id. */
export const createRecipeRun = async (client: Client, run: NewRecipeRun): Promise<string> =>
  (
    await client.query<{ id: string }>(
      `
        INSERT INTO recipe_run (study_id, name, recipe, files, before_id, after_id, actor)
        VALUES ($1, $2, $3, $4, $5, $6, $7)
        RETURNING id
      `,
      [
        run.studyId,
        run.name,
        run.recipe,
        JSON.stringify(run.files),
        run.beforeId,
        run.afterId,
        actor(),
      ],
    )
  ).rows[0]!.id;

/** What changes in a run of a recipe when a stage has worked. */
export interface RecipeStep {
  state?: RecipeRun["state"];
  stage?: RecipeStage;
  waits?: string[];
  notes?: RecipeNotes;
  lines?: Omit<RecipeLine, "at">[];
  lookFirst?: string[];
  made?: RecipeRun["made"];
  /** Whether the stage works again once what it waits for has ended. */
  again?: boolean;
}

/** Writes what changed in a run that goes on; whether it does. */
export async function stepRecipeRun(
  client: Client,
  id: string,
  step: RecipeStep,
): Promise<boolean> {
  const at = new Date().toISOString();
  const lines = (step.lines ?? []).map((line) => ({ at, ...line }));
  const { rowCount } = await client.query(
    `
      UPDATE recipe_run
      SET state = coalesce($2::text, state),
        stage = coalesce($3::text, stage),
        waits = coalesce($4::uuid[], waits),
        notes = notes || $5::jsonb,
        log = log || $6::jsonb,
        look_first = coalesce($7::jsonb, look_first),
        made = coalesce($8::jsonb, made),
        ended_at = CASE WHEN $2::text IN ('done', 'failed', 'cancelled') THEN now() END
      WHERE id = $1
        AND state = 'running'
    `,
    [
      ...[id, step.state ?? null, step.stage ?? null, step.waits ?? null, step.notes ?? {}],
      JSON.stringify(lines),
      step.lookFirst ? JSON.stringify(step.lookFirst) : null,
      step.made ?? null,
    ],
  );
  return rowCount === 1;
}

/** Deletes a run of a recipe that has ended; whether it was there. */
export const deleteRecipeRun = async (client: Client, id: string): Promise<boolean> =>
  (await client.query("DELETE FROM recipe_run WHERE id = $1 AND state <> 'running'", [id]))
    .rowCount === 1;

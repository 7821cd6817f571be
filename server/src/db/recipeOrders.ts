import type { FileFormat } from "@hindglance/contract/files";
import type { RecipeOrder } from "@hindglance/contract/recipes";
import type { Recipe } from "@hindglance/core/recipe/recipe";
import { actor } from "../actor";
import type { Client } from "./pool";

/** Recipes that are run on every new date of a study, the newest first. */
export const listOrders = async (client: Client, study: string): Promise<RecipeOrder[]> =>
  (
    await client.query<RecipeOrder>(
      `
        SELECT
          o.id, o.study_id AS "studyId", o.recipe, o.before_id AS "beforeId", b.name AS before,
          o.created_at AS "createdAt",
          (SELECT count(*)::int FROM recipe_run r WHERE r.order_id = o.id) AS runs
        FROM recipe_order o
          LEFT JOIN scene b ON b.id = o.before_id
        WHERE o.study_id = $1
        ORDER BY o.created_at DESC, o.id
      `,
      [study],
    )
  ).rows;

/** What is given with an order. */
export interface NewOrder {
  studyId: string;
  recipe: Recipe;
  files: readonly FileFormat[];
  beforeId: string | null;
}

/** Keeps an order; gives its id. */
export const createOrder = async (
  client: Client,
  { studyId, recipe, files, beforeId }: NewOrder,
): Promise<string> =>
  (
    await client.query<{ id: string }>(
      `
        INSERT INTO recipe_order (study_id, recipe, files, before_id, actor)
        VALUES ($1, $2, $3, $4, $5)
        RETURNING id
      `,
      [studyId, recipe, JSON.stringify(files), beforeId, actor()],
    )
  ).rows[0]!.id;

/** Ends an order; the study that it was of and its recipe, or null where there is none. */
export const deleteOrder = async (
  client: Client,
  id: string,
): Promise<{ studyId: string; recipe: Recipe } | null> =>
  (
    await client.query<{ studyId: string; recipe: Recipe }>(
      `DELETE FROM recipe_order WHERE id = $1 RETURNING study_id AS "studyId", recipe`,
      [id],
    )
  ).rows[0] ?? null;

/** A date that has come since an order was given, with the date that it is compared with. */
export interface DueRun {
  orderId: string;
  studyId: string;
  recipe: Recipe;
  beforeId: string;
  afterId: string;
  acquiredAt: string;
}

/**
 * Dates that came into studies after their orders were given, are taken in, and were not begun yet, the earliest
 * first. Those that were computed here are none; one that nothing lies before is left until something does.
 */
export const dueRuns = async (client: Client): Promise<DueRun[]> =>
  (
    await client.query<DueRun>(
      `
        SELECT
          o.id AS "orderId", o.study_id AS "studyId", o.recipe, b.id AS "beforeId",
          a.id AS "afterId", a.acquired_at AS "acquiredAt"
        FROM recipe_order o
          JOIN scene a ON a.study_id = o.study_id
          CROSS JOIN LATERAL (
            SELECT b.id
            FROM scene b
            WHERE b.study_id = o.study_id
              AND b.image_id IS NOT NULL
              AND b.acquired_at < a.acquired_at
              AND b.kind = a.kind
              AND (
                b.id = o.before_id
                OR (
                  o.before_id IS NULL
                  AND b.detail ->> 'form' IS DISTINCT FROM 'computed'
                  AND coalesce(b.detail ->> 'pass', '') = coalesce(a.detail ->> 'pass', '')
                )
              )
            ORDER BY b.acquired_at DESC
            LIMIT 1
          ) b
        WHERE a.created_at > o.created_at
          AND a.image_id IS NOT NULL
          AND a.acquired_at IS NOT NULL
          AND a.detail ->> 'form' IS DISTINCT FROM 'computed'
          AND a.kind = coalesce(o.recipe ->> 'family', a.kind)
          AND a.kind IN ('radar', 'optical', 'other')
          AND NOT EXISTS (
            SELECT 1
            FROM recipe_run r
            WHERE r.order_id = o.id
              AND r.after_id = a.id
          )
        ORDER BY a.acquired_at, o.created_at
      `,
    )
  ).rows;

/** Begins a run that is due, where no other server has; its id, or null. */
export const beginDue = async (
  client: Client,
  { orderId, beforeId, afterId }: DueRun,
  name: string,
): Promise<string | null> =>
  (
    await client.query<{ id: string }>(
      `
        INSERT INTO recipe_run (
            study_id, name, recipe, files, before_id, after_id, actor, order_id
          )
        SELECT o.study_id, $4, o.recipe, o.files, $2, $3, o.actor, o.id
        FROM recipe_order o
        WHERE o.id = $1
        ON CONFLICT DO NOTHING
        RETURNING id
      `,
      [orderId, beforeId, afterId, name],
    )
  ).rows[0]?.id ?? null;

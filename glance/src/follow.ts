import type { ServerClient } from "@hindglance/contract/client";
import { type RecipeRun, recipeRoutes } from "@hindglance/contract/recipes";

/** How often is looked how far a run is, milliseconds. */
const LOOK_MS = 400;
/** Least share that is said anew. */
const STEP = 0.05;

/** Says what a run does until it has ended. */
export async function follow(
  client: ServerClient,
  id: string,
  say: (text: string) => void,
): Promise<RecipeRun> {
  let lines = 0;
  let shown = 0;
  for (;;) {
    const run = await client.call(recipeRoutes.findRun, { params: { id } });
    for (const { tone, text } of run.log.slice(lines)) {
      say(tone === "said" ? text : `! ${text}`);
    }
    lines = run.log.length;
    if (run.state !== "running") {
      return run;
    }
    if (run.progress - shown >= STEP) {
      shown = run.progress;
      say(`${run.stage}: ${Math.round(100 * run.progress)} %`);
    }
    await new Promise((ok) => setTimeout(ok, LOOK_MS));
  }
}

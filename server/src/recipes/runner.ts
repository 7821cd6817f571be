import { randomUUID } from "node:crypto";
import { Refused, type ServerClient } from "@hindglance/contract/client";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import type { RecipeLine } from "@hindglance/contract/recipes";
import { type Run, runRoutes } from "@hindglance/contract/runs";
import { messageOf } from "@hindglance/core/errors";
import type { Database } from "../db/pool";
import {
  type KeptRecipeRun,
  type RecipeStep,
  findRecipeRun,
  holdRecipeRuns,
  stepRecipeRun,
} from "../db/recipes";
import { beginDue, dueRuns } from "../db/recipeOrders";
import { type NewNews, addNews } from "../db/news";
import { addToLedger } from "../db/studies";
import { AppError } from "../errors";
import { nameFor } from "./names";
import { type NoticeTargets, tellEnd } from "./notices";
import { STAGES } from "./stages";

/** How often is looked what runs of recipes wait for, milliseconds. */
const LOOK_MS = 700;

/** How often is looked for dates that recipes were ordered for, milliseconds. */
const NEW_DATES_MS = 3000;
/** Ends that are told; who cancels knows. */
const ENDS: ReadonlySet<KeptRecipeRun["state"]> = new Set(["done", "failed"]);

/** What went wrong, with what would help. */
function wordsOf(error: unknown): string {
  if (error instanceof Refused) {
    return error.words;
  }
  return error instanceof AppError && error.hint
    ? `${error.message}. ${error.hint}`
    : messageOf(error);
}

/** What the page tells of a run that has ended. */
function newsOf({ studyId, name, state, lookFirst, log }: KeptRecipeRun): NewNews {
  const told = { studyId, stage: "report" };
  if (state !== "done") {
    return { ...told, tone: "wrong", text: `${name} was not made: ${log.at(-1)?.text ?? state}` };
  }
  return lookFirst.length > 0
    ? { ...told, tone: "doubt", text: `${name} is made; look first: ${lookFirst.join(" ")}` }
    : { ...told, tone: "said", text: `${name} is made.` };
}

const wrong = (text: string): Omit<RecipeLine, "at"> => ({ tone: "wrong", text });

/** Moves runs of recipes on, stage by stage; where they are is kept, so that a restart goes on. */
export class RecipeRunner {
  private readonly busy = new Map<string, AbortController>();
  private readonly own = randomUUID();
  private timer: NodeJS.Timeout | null = null;
  private lookedForDates = 0;

  constructor(
    private readonly db: Database,
    private readonly api: ServerClient,
    private readonly onError: (error: unknown) => void,
    private readonly notices: NoticeTargets = { url: null, file: null },
  ) {}

  start(): void {
    this.timer = setInterval(() => void this.look().catch(this.onError), LOOK_MS);
  }

  /** Ends what is under way here; it goes on with the next start. */
  stop(): void {
    if (this.timer) {
      clearInterval(this.timer);
    }
    this.busy.forEach((controller) => controller.abort());
  }

  private async look(): Promise<void> {
    if (Date.now() - this.lookedForDates > NEW_DATES_MS) {
      this.lookedForDates = Date.now();
      await this.beginNewDates();
    }
    for (const id of await this.db.withClient((client) => holdRecipeRuns(client, this.own))) {
      if (!this.busy.has(id)) {
        const controller = new AbortController();
        this.busy.set(id, controller);
        void this.moveOn(id, controller.signal)
          .catch(this.onError)
          .finally(() => this.busy.delete(id));
      }
    }
  }

  /** Begins recipes on dates that came after they were ordered. */
  private async beginNewDates(): Promise<void> {
    for (const due of await this.db.withClient(dueRuns)) {
      await this.db.withTransaction(async (client) => {
        const name = nameFor(due.recipe, due.acquiredAt);
        const { recipe, beforeId, afterId, studyId } = due;
        if (await beginDue(client, due, name)) {
          await addToLedger(client, studyId, "Recipe begun", { name, recipe, beforeId, afterId });
        }
      });
    }
  }

  /** Works at a run until it waits for something, or has ended. */
  private async moveOn(id: string, signal: AbortSignal): Promise<void> {
    let run = await this.again(id);
    while (run?.state === "running" && !signal.aborted) {
      const step = await this.stepOf(run, signal);
      if (!step) {
        return;
      }
      const goesOn = await this.db.withTransaction((client) => stepRecipeRun(client, id, step));
      if (!goesOn) {
        await this.cancel(step.waits ?? []);
        return;
      }
      run = await this.again(id);
    }
    if (run && !signal.aborted && ENDS.has(run.state)) {
      await this.db.withTransaction((client) => addNews(client, newsOf(run)));
      await tellEnd(this.notices, run);
    }
  }

  /** Ends what a stage began while its run was cancelled. */
  private async cancel(waits: readonly string[]): Promise<void> {
    for (const id of waits) {
      await this.api.call(runRoutes.cancel, { params: { id } }).catch((error: unknown) => {
        // One that has ended by itself is no matter.
        if (!(error instanceof Refused && error.status === 409)) {
          this.onError(error);
        }
      });
    }
  }

  private again(id: string): Promise<KeptRecipeRun | null> {
    return this.db.withClient((client) => findRecipeRun(client, id));
  }

  /** What comes next; null while something is waited for. */
  private async stepOf(run: KeptRecipeRun, signal: AbortSignal): Promise<RecipeStep | null> {
    try {
      const waited = await this.waitedFor(run);
      return waited.some(({ state }) => state === "running")
        ? null
        : await this.next(run, waited, signal);
    } catch (error) {
      if (signal.aborted) {
        return null;
      }
      return { state: "failed", lines: [wrong(wordsOf(error))] };
    }
  }

  private waitedFor({ waits }: KeptRecipeRun): Promise<Run[]> {
    return Promise.all(waits.map((id) => this.api.call(runRoutes.find, { params: { id } })));
  }

  /** The next stage, or the end. @throws AppError where what was waited for came to nothing */
  private async next(run: KeptRecipeRun, waited: Run[], signal: AbortSignal): Promise<RecipeStep> {
    const at = STAGES.findIndex(({ stage }) => stage === run.stage);
    const failed = waited.find(({ state }) => state !== "done");
    // A file that could not be taken in need not be of this pair; that is found where the pair is.
    if (failed && run.stage !== "import" && !run.notes.again) {
      throw new AppError(
        422,
        "failed",
        failed.error?.message ?? `“${failed.title}” was cancelled`,
        undefined,
        failed.error?.hint,
      );
    }
    const isWorked = run.notes.worked === run.stage;
    if (!isWorked) {
      const { again = false, ...step } = await STAGES[at]!.work({
        api: this.apiFor(run),
        run,
        signal,
      });
      const worked = again ? null : run.stage;
      return { waits: [], ...step, notes: { ...step.notes, worked, again } };
    }
    const stage = STAGES[at + 1]?.stage;
    return stage ? { stage, waits: [], notes: { again: false } } : this.end(run);
  }

  /** What a recipe does is done by who began it, and says that it was a recipe. */
  private apiFor({ actor, recipe }: KeptRecipeRun): ServerClient {
    return this.api.actingAs(`${actor ?? "nobody named"}, by the recipe “${recipe.name}”`);
  }

  /** What a run has made, once all its files are. */
  private async end(run: KeptRecipeRun): Promise<RecipeStep> {
    const { changeMapId } = run.made;
    const { files } = changeMapId
      ? await this.api.call(changeMapRoutes.find, { params: { id: changeMapId } })
      : { files: [] };
    const wanted = files.filter(({ format }) => run.files.some((one) => one === format));
    const made = wanted.map(({ id, name, format }) => ({ id, name, format }));
    const text = run.lookFirst.length > 0 ? "Finished: look first." : "Finished.";
    return {
      state: "done",
      made: { changeMapId, files: made },
      lines: [{ tone: run.lookFirst.length > 0 ? "doubt" : "said", text }],
    };
  }
}

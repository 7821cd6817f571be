import { Piscina } from "piscina";
import { AppError, type ErrorBody } from "../errors";
import type { StepReport } from "@hindglance/core/graph/step";
import type { LevelFit } from "@hindglance/core/align/levelling";
import type { OffsetResult } from "@hindglance/core/align/offset";
import type { LevelTask, OffsetTask } from "./alignTasks";
import type { GroupFacts, GroupsTask } from "./groupTasks";
import type {
  FieldResult,
  FieldTask,
  HistogramResult,
  HistogramTask,
  PreviewTask,
  ReportTask,
  TileResult,
  TileTask,
  ValuesResult,
  ValuesTask,
} from "./service";

/** Threads that compute previews. Tasks of closed requests leave the queue. */
export class PreviewPool {
  private readonly pool: Piscina;
  constructor(script: string, url: string, threads: number, cacheBytes: number) {
    this.pool = new Piscina({
      filename: script,
      minThreads: 1,
      maxThreads: threads,
      workerData: { url, cacheBytes },
      idleTimeout: 60_000,
    });
  }

  tile(t: Omit<TileTask, "kind">, signal?: AbortSignal): Promise<TileResult> {
    return this.run({ kind: "tile", ...t }, signal) as Promise<TileResult>;
  }
  histograms(t: Omit<HistogramTask, "kind">): Promise<HistogramResult> {
    return this.run({ kind: "histograms", ...t }) as Promise<HistogramResult>;
  }

  field(t: Omit<FieldTask, "kind">): Promise<FieldResult> {
    return this.run({ kind: "field", ...t }) as Promise<FieldResult>;
  }

  values(t: Omit<ValuesTask, "kind">): Promise<ValuesResult> {
    return this.run({ kind: "values", ...t }) as Promise<ValuesResult>;
  }

  report(t: Omit<ReportTask, "kind">): Promise<StepReport | null> {
    return this.run({ kind: "report", ...t }) as Promise<StepReport | null>;
  }

  offset(t: Omit<OffsetTask, "kind">): Promise<OffsetResult> {
    return this.run({ kind: "offset", ...t }) as Promise<OffsetResult>;
  }

  level(t: Omit<LevelTask, "kind">): Promise<LevelFit> {
    return this.run({ kind: "level", ...t }) as Promise<LevelFit>;
  }

  groups(t: Omit<GroupsTask, "kind">): Promise<GroupFacts> {
    return this.run({ kind: "groups", ...t }) as Promise<GroupFacts>;
  }

  private async run(task: PreviewTask, signal?: AbortSignal): Promise<unknown> {
    const r = (await this.pool.run(task, signal ? { signal } : {})) as {
      value?: unknown;
      error?: { status: number; body: ErrorBody };
    };
    if (r.error) {
      throw new AppError(
        r.error.status,
        r.error.body.code,
        r.error.body.message,
        r.error.body.field,
        r.error.body.hint,
      );
    }
    return r.value;
  }

  close(): Promise<void> {
    return this.pool.destroy();
  }
}

import { workerData } from 'piscina';
import { errorBody } from '../errors';
import { type FieldTask, type HistogramTask, PreviewService, type ReportTask, type TileTask, type ValuesTask } from './service';

const { url, cacheBytes } = workerData as { url: string; cacheBytes: number };
const service = new PreviewService(url, cacheBytes);

/** Entry of a preview thread. Errors come back as data, so that their words survive the way between threads. */
export default async function run(task: TileTask | HistogramTask | FieldTask | ValuesTask | ReportTask): Promise<unknown> {
  try {
    const value = task.kind === 'tile' ? await service.tile(task) : task.kind === 'field' ? await service.field(task) : task.kind === 'values' ? await service.values(task) : task.kind === 'report' ? await service.report(task) : await service.histograms(task);
    return { value };
  } catch (e) {
    const { status, body, expected } = errorBody(e);
    if (!expected) console.error('Preview failed:', e);
    return { error: { status, body } };
  }
}

import type { ChangeSetup } from '@hindglance/core/change/setup';
import type { TallyData } from '@hindglance/core/tally/tally';
import { type BinaryRow, copyIn, int2, int4, uuidBytes } from './copy';
import type { Client } from './pool';

export interface Provenance {
  study: string; event: string | null; program: string; writtenAt: string; nodeHash: string;
  before: SceneRecord; after: SceneRecord; elevation: SceneRecord | null; zones: { name: string; file: string; sha256: string; names: string[] } | null; studyAreaSha256: string | null;
  grid: string; /** Unit of before, after and measure. */ unit?: string; setup: ChangeSetup;
  /** How the dates were prepared: the settings of each side's chain, and the orbit file it took. Absent for images that came calibrated. */
  prepared?: { before: PreparedSide | null; after: PreparedSide | null };
  /** How the dates were moved and levelled. */
  aligned?: { before: object | null; after: object | null };
}
export interface PreparedSide { chain: object; orbit: { file: string; sha256: string; kind: string } | null }
export interface SceneRecord { name: string; file: string; sha256: string; acquiredAt: string | null; band?: string; size: number }

export interface ChangeMap { id: string; studyId: string; name: string; imageId: string; nodeHash: string; setup: ChangeSetup; provenance: Provenance; tally: TallyData; patchCount: number; createdAt: string }
const COLUMNS = 'id, study_id AS "studyId", name, image_id AS "imageId", node_hash AS "nodeHash", setup, provenance, tally, patch_count AS "patchCount", created_at AS "createdAt"';

export const listChangeMaps = async (c: Client, study: string): Promise<ChangeMap[]> => (await c.query<ChangeMap>(`SELECT ${COLUMNS} FROM change_map WHERE study_id = $1 ORDER BY created_at DESC`, [study])).rows;
export const findChangeMap = async (c: Client, id: string): Promise<ChangeMap | null> => (await c.query<ChangeMap>(`SELECT ${COLUMNS} FROM change_map WHERE id = $1`, [id])).rows[0] ?? null;
export async function createChangeMap(c: Client, m: Omit<ChangeMap, 'createdAt' | 'patchCount'>): Promise<void> {
  await c.query('INSERT INTO change_map (id, study_id, name, image_id, node_hash, setup, provenance, tally, patch_count) SELECT $1, $2, $3, $4, $5, $6, $7, $8, count(*) FROM patch WHERE change_map_id = $1', [m.id, m.studyId, m.name, m.imageId, m.nodeHash, m.setup, m.provenance, JSON.stringify(m.tally)]);
}
export async function deleteChangeMap(c: Client, id: string): Promise<boolean> {
  const r = (await c.query<{ image_id: string }>('DELETE FROM change_map WHERE id = $1 RETURNING image_id', [id])).rows[0];
  if (!r) return false;
  await c.query('DELETE FROM patch WHERE change_map_id = $1', [id]);
  await c.query('DELETE FROM image WHERE id = $1', [r.image_id]);
  await c.query("DELETE FROM blob WHERE purpose = 'file' AND detail->>'changeMapId' = $1", [id]);
  return true;
}

export interface Patch { number: number; label: number; cells: number; areaM2: number; west: number; south: number; east: number; north: number; geometry: string }
const double = (v: number) => { const b = Buffer.alloc(8); b.writeDoubleBE(v); return b; };
const bigint = (v: number) => { const b = Buffer.alloc(8); b.writeBigInt64BE(BigInt(v)); return b; };

export async function writePatches(c: Client, map: string, patches: Iterable<Patch>): Promise<void> {
  await c.query('DELETE FROM patch WHERE change_map_id = $1', [map]);
  const id = uuidBytes(map);
  function* rows(): Generator<BinaryRow> { for (const p of patches) yield [id, int4(p.number), int2(p.label), bigint(p.cells), double(p.areaM2), double(p.west), double(p.south), double(p.east), double(p.north), Buffer.from(p.geometry)]; }
  await copyIn(c, 'patch (change_map_id, number, label, cells, area_m2, west, south, east, north, geometry)', rows());
}
export async function readPatches(c: Client, map: string, from: number, limit: number): Promise<Patch[]> {
  return (await c.query<Patch>('SELECT number, label, cells::float8 AS cells, area_m2 AS "areaM2", west, south, east, north, geometry FROM patch WHERE change_map_id = $1 AND number >= $2 ORDER BY number LIMIT $3', [map, from, limit])).rows;
}
/** Patches whose change map never came to be. */
export const sweepPatches = async (c: Client): Promise<void> => { await c.query("DELETE FROM patch WHERE change_map_id NOT IN (SELECT id FROM change_map) AND change_map_id NOT IN (SELECT (params->>'changeMapId')::uuid FROM run WHERE state = 'running' AND params ? 'changeMapId')"); };

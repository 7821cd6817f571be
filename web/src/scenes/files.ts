import type { Upload } from '../api/types';

/** Whether a file says all that is needed, so that nobody has to be asked. */
export const complete = (u: Upload): boolean => (u.detail.form === 'product' || u.detail.form === 'orbit' ? true : u.detail.form === 'zones' ? !!u.detail.nameField : u.detail.missing.length === 0 && (u.detail.kind !== 'radar' || u.detail.bands.every((b) => b.polarisation)));

/** Path of a file inside the folder that was picked or dropped. */
export const pathOf = (f: File): string => (f.webkitRelativePath || (f as File & { path?: string }).path || f.name).replace(/^\.?\//, '');

/** Files by the product folder that they lie in; files outside of one come under ''. */
export function byFolder(files: File[]): Map<string, File[]> {
  const roots = files.map(pathOf).filter((p) => /(^|\/)manifest\.safe$/i.test(p)).map((p) => p.slice(0, -'manifest.safe'.length)), out = new Map<string, File[]>();
  for (const f of files) { const root = roots.find((r) => pathOf(f).startsWith(r)) ?? ''; out.set(root, [...(out.get(root) ?? []), f]); }
  return out;
}

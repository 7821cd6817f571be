/** How long is waited for something, milliseconds. */
const PATIENCE_MS = 40_000;

/** Waits until something is so. @throws Error where it never is */
export async function until(isSo: () => boolean | Promise<boolean>): Promise<void> {
  for (const end = Date.now() + PATIENCE_MS; !(await isSo());) {
    if (Date.now() > end) {
      throw new Error(`It has not become so in ${PATIENCE_MS} ms`);
    }
    await new Promise((ok) => setTimeout(ok, 100));
  }
}

/**
 * Uses `count` reads in order, each begun while the one before is being used: the store answers
 * while cells are computed.
 */
export async function ahead<T>(
  count: number,
  read: (k: number) => Promise<T>,
  use: (value: T, k: number) => void,
): Promise<void> {
  let next = count > 0 ? read(0) : null;
  for (let k = 0; k < count; k++) {
    const value = await next!;
    if (k + 1 < count) {
      next = read(k + 1);
      next.catch(() => {});
    }
    use(value, k);
  }
}

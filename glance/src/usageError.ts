/** What is wrong with a call, in words. */
export class UsageError extends Error {
  override name = "UsageError";
}

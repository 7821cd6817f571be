/** Whether a stream ended because who read it went away. */
export const isLeft = (error: unknown): boolean =>
  error instanceof Error && "code" in error && error.code === "ERR_STREAM_PREMATURE_CLOSE";

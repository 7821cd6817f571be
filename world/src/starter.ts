/** How often it is looked whether who started the process is there, milliseconds. */
const LOOK_MS = 500;

/**
 * Ends a process whose starter is gone without a word: nobody would stop it any more.
 * @param starter number of the process that started this one; NaN where nobody need be there
 */
export function endWithStarter(starter: number, end: () => void = () => process.exit(1)): void {
  if (Number.isInteger(starter)) {
    setInterval(() => {
      if (process.ppid !== starter) {
        end();
      }
    }, LOOK_MS).unref();
  }
}

/** Number of the process that started this one, as it was told; NaN where it was not. */
export const toldStarter = (): number => Number(process.env.STARTER_PID ?? NaN);

/** What a thread and the server tell each other of a task: that it was begun, that it is given up. */
export type Mark = Int32Array<SharedArrayBuffer>;

const GIVEN_UP = 0;
const BEGUN = 1;

/** The mark of a task that waits in the queue. */
export const newMark = (): Mark => new Int32Array(new SharedArrayBuffer(8));

/** Says that nobody waits for a task any more. */
export const giveUp = (mark: Mark): void => void Atomics.store(mark, GIVEN_UP, 1);
/** Says that a thread has begun with a task. */
export const begin = (mark: Mark): void => void Atomics.store(mark, BEGUN, 1);

/** Whether a thread has begun with a task. */
export const hasBegun = (mark: Mark): boolean => Atomics.load(mark, BEGUN) === 1;
/** Whether nobody waits for a task any more. */
export const isGivenUp = (mark: Mark): boolean => Atomics.load(mark, GIVEN_UP) === 1;

import { shared } from "./shared";

/** Work that a test ends, and what was begun of it. */
function work() {
  const begun: { end(value: object): void; fail(): void; signal: AbortSignal }[] = [];
  const make = (signal: AbortSignal) =>
    new Promise<object>((resolve, reject) => {
      begun.push({ end: resolve, fail: () => reject(new Error("Broken")), signal });
    });
  return { begun, make };
}
const here = () => new AbortController();

test("is done once for all that wait for the same, and remembered", async () => {
  const { begun, make } = work();
  const ask = shared<object>(5);
  const [one, two] = [ask("a", here().signal, make), ask("a", here().signal, make)];
  void ask("b", here().signal, make).catch(() => {});
  expect(begun).toHaveLength(2);
  begun[0]!.end({ areas: 3 });
  expect(await one).toBe(await two);
  expect(await ask("a", here().signal, make)).toEqual({ areas: 3 });
  expect(begun).toHaveLength(2);
});

test("goes on when one of two leaves, and is given up when both have", () => {
  const { begun, make } = work();
  const ask = shared<object>(5);
  const [one, two] = [here(), here()];
  ask("a", one.signal, make).catch(() => {});
  ask("a", two.signal, make).catch(() => {});
  one.abort();
  expect(begun[0]!.signal.aborted).toBe(false);
  two.abort();
  expect(begun[0]!.signal.aborted).toBe(true);
  // Who comes after that gets work that was begun for him.
  void ask("a", here().signal, make);
  expect(begun).toHaveLength(2);
  expect(begun[1]!.signal.aborted).toBe(false);
});

test("that is done is kept although everybody left", async () => {
  const { begun, make } = work();
  const ask = shared<object>(5);
  const one = here();
  const made = ask("a", one.signal, make);
  begun[0]!.end({});
  await made;
  one.abort();
  await ask("a", here().signal, make);
  expect(begun).toHaveLength(1);
});

test("that failed is done again; who had left before it began waits for nothing", async () => {
  const { begun, make } = work();
  const ask = shared<object>(5);
  const made = ask("a", here().signal, make);
  begun[0]!.fail();
  await expect(made).rejects.toThrow("Broken");
  const gone = here();
  gone.abort();
  ask("a", gone.signal, make).catch(() => {});
  expect(begun).toHaveLength(2);
  expect(begun[1]!.signal.aborted).toBe(true);
});

import type { ReactElement } from "react";
import { answerIn } from "../api/client";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { MemoryRouter, Outlet, Route, Routes, useLocation } from "react-router";

// What the widgets of the interface ask of a browser and the test's page does not have.
Object.assign(window.HTMLElement.prototype, {
  hasPointerCapture: () => false,
  setPointerCapture: () => {},
  releasePointerCapture: () => {},
  scrollIntoView: () => {},
});
// Without a layout everything is where a press of the mouse is, and the bar between panels takes it.
const rectangle = window.HTMLElement.prototype.getBoundingClientRect;
window.HTMLElement.prototype.getBoundingClientRect = function rectangleOf() {
  return this.hasAttribute("data-separator") ? new DOMRect(1e5, 1e5, 5, 5) : rectangle.call(this);
};
window.Blob.prototype.text ??= function textOf() {
  return new Promise((ok, no) => {
    const reader = new FileReader();
    reader.onload = () =>
      typeof reader.result === "string" ? ok(reader.result) : no(reader.error);
    reader.readAsText(this);
  });
};
window.Blob.prototype.arrayBuffer ??= async function bytesOf() {
  return new TextEncoder().encode(await this.text()).buffer;
};
globalThis.ResizeObserver ??= class {
  observe() {}
  unobserve() {}
  disconnect() {}
};

/** A request that the page made. */
export class Asked {
  constructor(
    readonly method: string,
    readonly path: string,
    readonly body: unknown,
  ) {}

  /** The body as the test says that it is. */
  as<T>(): T {
    return answerIn<T>(JSON.stringify(this.body ?? null));
  }
}

type Answer = (asked: Asked) => unknown;

/** An answer that is an error, in the server's one shape. */
export class Refusal {
  constructor(
    readonly status: number,
    readonly error: { code: string; message: string; hint?: string },
  ) {}
}

/** An answer of a server, of which pages read as much as this. */
export function answerOf(body: string | ArrayBuffer, status = 200): Response {
  const text = typeof body === "string" ? body : "";
  const answer: Partial<Response> = {
    ok: status < 300,
    status,
    headers: new Headers({ "content-type": "application/json" }),
    text: () => Promise.resolve(text),
    json: () => Promise.resolve(answerIn<unknown>(text)),
    arrayBuffer: () => Promise.resolve(typeof body === "string" ? new ArrayBuffer(0) : body),
  };
  return answer as Response;
}

/**
 * Takes the place of the server: answers with what a function gives, as JSON, and remembers what was
 * asked.
 */
export function fakeServer(answer: Answer): Asked[] {
  const all: Asked[] = [];
  globalThis.fetch = async (input, init) => {
    const address = typeof input === "string" ? input : "";
    const sent = typeof init?.body === "string" ? answerIn<unknown>(init.body) : undefined;
    const asked = new Asked(init?.method ?? "GET", address.replace(/^\/api/, ""), sent);
    all.push(asked);
    const given = await answer(asked);
    const status = given instanceof Refusal ? given.status : 200;
    const body = given instanceof Refusal ? { error: given.error } : given;
    return answerOf(JSON.stringify(body ?? null), status);
  };
  return all;
}

const isAnswer = (value: unknown): value is Answer => typeof value === "function";

/**
 * What a server answers to what a page reads, by the ends of its paths, the first that fits; a
 * function is asked. What is not named is an empty list.
 */
export const answersTo =
  (...tables: Record<string, unknown>[]): Answer =>
  (asked) => {
    const path = asked.path.split("?")[0]!;
    const all = tables.flatMap((table) => Object.entries(table));
    const [, found = []] = all.find(([end]) => path.endsWith(end)) ?? [];
    return isAnswer(found) ? found(asked) : found;
  };

/** A client of queries that gives up at once, so that a test sees an error and not a wait. */
export const testClient = (): QueryClient =>
  new QueryClient({ defaultOptions: { queries: { retry: false }, mutations: { retry: false } } });

/** What every part of a page stands in. */
export function Around({
  client,
  children,
}: {
  client: QueryClient;
  children: React.ReactNode;
}): ReactElement {
  return (
    <QueryClientProvider client={client}>
      <MemoryRouter>{children}</MemoryRouter>
    </QueryClientProvider>
  );
}

/** Renders a part of a page with what stands around it. */
export function renderPart(part: ReactElement, client = testClient()) {
  return { client, ...render(<Around client={client}>{part}</Around>) };
}

/** Where a page has gone to. */
function Address() {
  const { pathname, search } = useLocation();
  return <output aria-label="address">{pathname + search}</output>;
}

/**
 * Renders a whole page as the frame shows it.
 * @param at address that it is opened at
 * @param context what the frame hands to its pages
 */
export function renderPage(
  page: ReactElement,
  { at = "/", context = null, client = testClient() }: PageAround = {},
) {
  const routes = (
    <Routes>
      <Route element={<Outlet context={context} />}>
        <Route path="*" element={page} />
      </Route>
    </Routes>
  );
  return {
    client,
    ...render(
      <QueryClientProvider client={client}>
        <MemoryRouter initialEntries={[at]}>
          {routes}
          <Address />
        </MemoryRouter>
      </QueryClientProvider>,
    ),
  };
}

interface PageAround {
  at?: string;
  context?: unknown;
  client?: QueryClient;
}

/** From here on every box that is watched is told that it has a size, pixels. */
export function giveSizes(width: number, height: number): void {
  globalThis.ResizeObserver = class {
    constructor(private readonly tell: ResizeObserverCallback) {}
    observe(target: Element) {
      const contentRect = new DOMRect(0, 0, width, height);
      const size = [{ inlineSize: width, blockSize: height }];
      const sizes = { borderBoxSize: size, contentBoxSize: size, devicePixelContentBoxSize: size };
      this.tell([{ target, contentRect, ...sizes }], this);
    }
    unobserve() {}
    disconnect() {}
  };
}

/** Puts a text in place of what a field holds. */
export async function typeInto(label: string, text: string): Promise<void> {
  const field = screen.getByLabelText(label);
  await userEvent.clear(field);
  await userEvent.type(field, text);
}

/** Picks an option of a list that opens. */
export async function pickOption(label: string, option: string | RegExp): Promise<void> {
  await userEvent.click(screen.getByRole("combobox", { name: label }));
  await userEvent.click(screen.getByRole("option", { name: option }));
}

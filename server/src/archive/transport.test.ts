import { type IncomingMessage, type Server, type ServerResponse, createServer } from "node:http";
import { type ArchiveSettings, allowedUrl, ask, askJson } from "./transport";

let server: Server;
let answer: (request: IncomingMessage, response: ServerResponse) => void;
let settings: ArchiveSettings;
const asked: { method: string | undefined; url: string | undefined; accept: unknown }[] = [];
beforeAll(async () => {
  server = createServer((request, response) => {
    asked.push({ method: request.method, url: request.url, accept: request.headers.accept });
    answer(request, response);
  });
  await new Promise<void>((ok) => server.listen(0, "127.0.0.1", ok));
  const address = server.address();
  const port = typeof address === "object" && address ? address.port : 0;
  settings = { url: `http://127.0.0.1:${port}/stac/`, alsoFrom: [], timeoutMs: 400 };
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
});
beforeEach(() => {
  asked.length = 0;
});

const json = (value: unknown) => (_request: IncomingMessage, response: ServerResponse) => {
  response.setHeader("content-type", "application/json");
  response.end(JSON.stringify(value));
};
const redirect = (to: string) => (_request: IncomingMessage, response: ServerResponse) => {
  response.statusCode = 302;
  response.setHeader("location", to);
  response.end();
};

describe("addresses that an archive names", () => {
  const told: ArchiveSettings = {
    url: "https://archive.example/stac",
    alsoFrom: ["https://files.example:8443/pub"],
    timeoutMs: 1000,
  };

  test.each([
    ["items/1", "https://archive.example/items/1"],
    ["/items/1?x=1", "https://archive.example/items/1?x=1"],
    ["https://files.example:8443/a.zip", "https://files.example:8443/a.zip"],
  ])("%s is allowed", (href, url) => {
    expect(allowedUrl(href, told.url, told).href).toBe(url);
  });

  test.each([
    ["https://files.example/a.zip", /points to files\.example/],
    ["http://archive.example/a.zip", /points to archive\.example/],
    ["https://archive.example.evil.example/", /points to archive\.example\.evil\.example/],
    ["file:///etc/passwd", /points to a file address/],
    ["http://[", /names an address that is none/],
  ])("%s is not, and who may allow it is told", (href, message) => {
    expect(() => allowedUrl(href, told.url, told)).toThrow(message);
  });

  test("user and password in front of a host do not make it another", () => {
    expect(() => allowedUrl("https://archive.example@evil.example/", told.url, told)).toThrow(
      /points to evil\.example/,
    );
  });
});

describe("asking", () => {
  test("a plain question is a GET for JSON; one with a body a POST of it", async () => {
    answer = json({ ok: 1 });
    expect(await askJson("search", settings)).toEqual({ ok: 1 });
    let body = "";
    answer = (request, response) => {
      request.on("data", (chunk: Buffer) => {
        body += chunk.toString();
      });
      request.on("end", () => json({ ok: 2 })(request, response));
    };
    expect(await askJson("search", settings, { limit: 3 })).toEqual({ ok: 2 });
    expect(body).toBe('{"limit":3}');
    expect(asked.map(({ method, url }) => `${method} ${url}`)).toEqual([
      "GET /stac/search",
      "POST /stac/search",
    ]);
    expect(asked[0]!.accept).toContain("application/geo+json");
  });

  test("redirects on the archive's own host are followed, a few of them", async () => {
    answer = (request, response) =>
      request.url === "/stac/a"
        ? redirect("/stac/b")(request, response)
        : json({ at: request.url })(request, response);
    expect(await askJson("a", settings)).toEqual({ at: "/stac/b" });
    const { url } = await ask("a", settings, {}, AbortSignal.timeout(1000));
    expect(url).toBe(new URL("/stac/b", settings.url).href);
    answer = redirect("/stac/round");
    await expect(askJson("round", settings)).rejects.toThrow(/from one address to another/);
    expect(asked.filter((one) => one.url === "/stac/round")).toHaveLength(4);
  });

  test("a redirect to another host is not followed", async () => {
    answer = redirect("http://169.254.0.1/secret");
    await expect(askJson("a", settings)).rejects.toThrow(/points to 169\.254\.0\.1/);
    expect(asked).toHaveLength(1);
  });

  test.each([
    [404, 404, /no longer has this/],
    [500, 502, /answers with status 500/],
    [403, 502, /answers with status 403/],
  ])("status %i is told as %i", async (status, told, message) => {
    answer = (_request, response) => {
      response.statusCode = status;
      response.end("{}");
    };
    await expect(askJson("a", settings)).rejects.toMatchObject({ status: told });
    await expect(askJson("a", settings)).rejects.toThrow(message);
  });

  test("what is not JSON is said to be none", async () => {
    answer = (_request, response) => response.end("<html>");
    await expect(askJson("a", settings)).rejects.toThrow(/something that is not JSON/);
  });

  test("an archive that does not answer is given up, with the seconds that were waited", async () => {
    answer = () => {};
    await expect(askJson("a", settings)).rejects.toThrow(
      /The archive at 127\.0\.0\.1:\d+ has not answered for 0 s/,
    );
  });

  test("so is one that falls silent in the middle of its answer", async () => {
    answer = (_request, response) => response.write('{"half":');
    await expect(askJson("a", settings)).rejects.toThrow(/has not answered for/);
  });

  test("one that is not there is said to be out of reach, with the reason", async () => {
    const nowhere = { ...settings, url: "http://127.0.0.1:9/" };
    await expect(askJson("a", nowhere)).rejects.toThrow(/127\.0\.0\.1:9 cannot be reached/);
  });

  test("who asked and went away hears its own reason", async () => {
    answer = () => {};
    const stop = new AbortController();
    const asking = ask("a", settings, {}, stop.signal);
    stop.abort(new Error("The page was closed"));
    await expect(asking).rejects.toThrow("The page was closed");
  });
});

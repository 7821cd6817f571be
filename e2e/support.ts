import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { type APIResponse, type Page, expect } from "@playwright/test";

export const base = (): string => process.env.HG_BASE!;
export const demoFile = (name: string): string =>
  fileURLToPath(new URL(`../data/demo/${name}`, import.meta.url));
export const FLOOD = "Ombrel flood";
export const FIRE = "Tolm Ridge fire";
export const BASIN = "Quill Basin";

/** The body of an answer of the API, as the test says that it is. */
export const jsonOf = async <T>(response: APIResponse | Promise<APIResponse>): Promise<T> =>
  JSON.parse(await (await response).text()) as T;

export async function openStudy(
  page: Page,
  stage: string,
  query = "",
  name = FLOOD,
): Promise<string> {
  const all = await jsonOf<
    {
      id: string;
      name: string;
    }[]
  >(
    // A connection that was kept may be closed by the server in this very moment.
    page.request.get(`${base()}/api/studies`, { headers: { connection: "close" } }),
  );
  const id = all.find((s) => s.name === name)!.id;
  await page.goto(`${base()}/studies/${id}/${stage}${query}`);
  return id;
}

/** Waits until the maps have drawn what they have, those too that come while it waits. */
export async function settled(page: Page): Promise<void> {
  const loading = page.locator("[data-loading=true]");
  for (const rest of [500, 600]) {
    await page.waitForTimeout(rest);
    await expect(page.getByText(/^(Loading|The scene is on its way) …$/)).toHaveCount(0, {
      timeout: 120_000,
    });
    await expect(loading).toHaveCount(0, { timeout: 120_000 });
  }
}

/** Nothing serious for axe, the accessibility checker. */
export async function accessible(page: Page): Promise<void> {
  // A colour that is on its way to another is not one that people see.
  await page.evaluate(async () => {
    const moving = document.getAnimations().filter((one) => one instanceof CSSTransition);
    await Promise.allSettled(moving.map((one) => one.finished));
  });
  await page.evaluate(
    readFileSync(new URL("../node_modules/axe-core/axe.min.js", import.meta.url), "utf8"),
  );
  const found = await page.evaluate(async () => {
    const axe = (
      window as unknown as {
        axe: {
          run(
            options: object,
          ): Promise<{ violations: { id: string; impact: string; nodes: { html: string }[] }[] }>;
        };
      }
    ).axe;
    return (await axe.run({ resultTypes: ["violations"] })).violations
      .filter((violation) => violation.impact === "serious" || violation.impact === "critical")
      .map(
        (violation) =>
          `${violation.id}: ${violation.nodes
            .slice(0, 3)
            .map((node) => node.html.slice(0, 160))
            .join(" | ")}`,
      );
  });
  expect(found).toEqual([]);
}

/** Share of the pixels in a box that are near a colour. */
export async function shareOf(
  page: Page,
  box: { x: number; y: number; width: number; height: number },
  rgb: [number, number, number],
  tolerance = 60,
): Promise<number> {
  const png = (await page.screenshot({ clip: box })).toString("base64");
  return page.evaluate(
    async ([data, c, tol]) => {
      const img = new Image();
      img.src = `data:image/png;base64,${data}`;
      await img.decode();
      const canvas = document.createElement("canvas");
      canvas.width = img.width;
      canvas.height = img.height;
      const canvasRenderingContext2D = canvas.getContext("2d")!;
      canvasRenderingContext2D.drawImage(img, 0, 0);
      const detail = canvasRenderingContext2D.getImageData(0, 0, canvas.width, canvas.height).data;
      let n = 0;
      for (let i = 0; i < detail.length; i += 4) {
        if ((c as number[]).every((value, j) => Math.abs(detail[i + j]! - value) < tol)) {
          n++;
        }
      }
      return n / (detail.length / 4);
    },
    [png, rgb, tolerance] as const,
  );
}

/** An empty study of its own, open in Scenes. */
export async function emptyStudy(page: Page, name: string): Promise<string> {
  const made = await page.request.post(`${base()}/api/studies`, {
    data: { name, hazard: "flood", eventAt: "2025-05-12T00:00:00Z" },
  });
  const { id } = await jsonOf<{ id: string }>(made);
  await page.goto(`${base()}/studies/${id}/scenes`);
  return id;
}

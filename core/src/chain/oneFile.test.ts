import * as yup from "yup";
import { utm } from "../geodesy/crs";
import type { ImageInfo } from "../graph/image";
import { node, sourceNode } from "../graph/node";
import type { Step } from "../graph/step";
import { cellByCell, none } from "../graph/steps/common";
import { northUp } from "../grid/grid";
import { memorySources } from "../testing/support";
import { chainRows } from "./chainRows";
import { chainSchema, proposedChain, settingsOf } from "./family";

import { RADAR_STEPS } from "./radar/steps";
import type { ChainScene } from "./row";
import { stepSettings } from "./settings";
import { type AnyStep, type ChainStep, type Switched } from "./step";
import { stepsTable } from "../catalogue";
import { boundsOf, settingNames, settingsIn } from "../form/fields";

/** The step of the graph that a step of a chain brings along. */
const wholeStep: Step<Record<string, never>> = {
  kind: "test.whole",
  version: 1,
  title: "Whole",
  help: "Values as whole numbers.",
  inputs: { min: 1, max: 1 },
  params: none,
  describe: ([info]) => info!,
  reach: cellByCell,
  compute([block], out) {
    block!.bands.forEach((band, k) => out.bands[k]!.set(band.map(Math.round)));
  },
};
const settings = stepSettings({ digits: yup.number().integer().min(0).max(6).required() });
interface Whole extends Switched {
  digits: number;
}

/** What a person who adds a step writes, whole. */
const whole: ChainStep<"whole", Whole, unknown, ChainScene, { whole: Whole }> = {
  key: "whole",
  name: "Whole numbers",
  help: "Values without what stands behind the point.",
  settings,
  graph: [wholeStep],
  propose: () => ({ on: true, digits: 0 }),
  place(row) {
    const { on: runs, digits } = row.settings.whole;
    if (!runs) {
      row.skip(["Values keep their fractions."]);
    } else if (digits > 3) {
      row.refuse("There are no such digits", "digits");
    } else {
      row.put(node("test.whole", {}, row.before));
    }
  },
  sentence: (own) => `${own.digits} digits`,
  shows: () => "whole",
  fields: () => [{ kind: "number", at: "digits", label: "Digits kept", step: 1 }],
};

const info: ImageInfo = {
  grid: northUp(utm(27, true), 0, 100, 10, 10, 4, 4),
  type: "float32",
  bands: [{ name: "x", unit: "", role: "value" }],
};
const scene: ChainScene = { id: "a", imageId: "i", info };

describe("a step in one file", () => {
  const chain = proposedChain([whole], {});
  test("its proposal passes its own settings, and is what a study begins with", () => {
    expect(chainSchema([whole]).validateSync(chain, { strict: true })).toEqual({
      whole: { on: true, digits: 0 },
    });
  });
  test.each([
    [{ on: true, digits: 7 }, /whole\.digits must be less than or equal to 6/],
    [{ on: true, digits: 0.5 }, /whole\.digits must be an integer/],
    [{ on: true, digits: 0, more: 1 }, /whole field has unspecified keys: more/],
  ])("the server's check reads its settings: %j", (own, reason) => {
    expect(() => chainSchema([whole]).validateSync({ whole: own }, { strict: true })).toThrow(
      reason,
    );
  });
  test("rows take it in, with its warnings, and end where it refuses", () => {
    const cellsWith = (own: Partial<Whole>) =>
      chainRows([whole], [{ scene, settings: { whole: { ...chain.whole, ...own } } }]).get("a")!;
    expect(cellsWith({}).result).toEqual(node("test.whole", {}, sourceNode("i")));
    expect(cellsWith({ on: false }).cells).toEqual([
      {
        step: "whole",
        skipped: true,
        input: sourceNode("i"),
        output: sourceNode("i"),
        warnings: ["Values keep their fractions."],
      },
    ]);
    const refused = cellsWith({ digits: 4 });
    expect([refused.error?.message, refused.failedAt, refused.result]).toEqual([
      "There are no such digits",
      "whole",
      sourceNode("i"),
    ]);
  });
  test("its form finds the bounds that are checked", () => {
    expect(boundsOf(whole.settings, "digits")).toEqual({ min: 0, max: 6, whole: true });
    expect(() => boundsOf(whole.settings, "on")).toThrow(/on has no min/);
    expect(() => boundsOf(whole.settings, "none")).toThrow(/no setting called none/);
  });
  test("it stands in the table of the documentation", () => {
    expect(stepsTable([whole] as readonly AnyStep[])).toContain(
      "| Whole numbers | Values without what stands behind the point. | Digits kept (0 to 6) |",
    );
  });
});

describe("one line in the list", () => {
  beforeAll(() => {
    jest.resetModules();
    jest.doMock("./radar/steps", () => {
      const list = jest.requireActual<typeof import("./radar/steps")>("./radar/steps");
      return { RADAR_STEPS: [...list.RADAR_STEPS, whole] };
    });
  });
  test("puts the step at the end of the board, and its settings into the check of the chain", async () => {
    const { CHAIN_SCHEMAS, keysOf, settingText } = await import("./family");
    expect(keysOf("radar").slice(-2)).toEqual(["decibel", "whole"]);
    expect(settingText("radar", { whole: { on: true, digits: 2 } as Switched }, "whole")).toBe(
      "2 digits",
    );
    const { floodChain } = await import("./radarChain");
    const chain = floodChain(info.grid, {
      elevationId: null,
      looks: 4,
      rangeLooks: 1,
      azimuthLooks: 1,
    });
    const given = { ...chain, whole: { on: true, digits: 9 } };
    expect(() => CHAIN_SCHEMAS.radar.validateSync(given, { strict: true })).toThrow(
      /whole\.digits/,
    );
  });
  test("makes its step of the graph known, which then is computed", async () => {
    const { Evaluator } = await import("../graph/evaluator");
    const evaluator = new Evaluator({
      sources: memorySources({
        i: { info, bands: [Float32Array.from({ length: 16 }, (_value, k) => k / 4)] },
      }),
    });
    const window = { col: 0, row: 0, width: 4, height: 1 };
    const block = await evaluator.read(node("test.whole", {}, sourceNode("i")), 0, window);
    expect([...block.bands[0]!]).toEqual([0, 0, 1, 1]);
  });
});

describe("every step of the chains", () => {
  const radar = RADAR_STEPS as readonly AnyStep[];
  test("names only settings in its form that it has", () => {
    for (const step of radar) {
      const known = settingNames(step.settings);
      const named = step.fields({ on: true }, { terrain: { on: true } }).flatMap(settingsIn);
      expect([step.key, named.filter((name) => !known.includes(name))]).toEqual([step.key, []]);
    }
  });
  test("settings of one date lie over those of every date", () => {
    expect(
      settingsOf([whole], { whole: { on: true, digits: 2 } }, { a: { whole: { digits: 1 } } }, "a"),
    ).toEqual({ whole: { on: true, digits: 1 } });
  });
});

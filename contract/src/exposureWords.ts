import type { RoadCut } from "@hindglance/core/exposure/roads";
import { zoneName } from "@hindglance/core/tally/zoneName";
import type { Shape } from "@hindglance/core/vector/features";
import { number } from "@hindglance/core/text/number";
import type { ChangeMap } from "./changeMaps";
import type { CountedLayer, Exposure, ListedAsset } from "./exposure";

/** People in words: whole ones, and that there are few where there are less than one. */
export function peopleText(people: number): string {
  if (people === 0) {
    return "·";
  }
  return people < 0.5 ? "< 1" : number(Math.round(people));
}

/** How much of an asset there is: nothing for points, km of lines, km² of areas. */
export function amountText(shape: Shape, amount: number): string {
  if (shape === "line") {
    return `${number(amount / 1000, 2)} km`;
  }
  return shape === "polygon" ? `${number(amount / 1e6, 3)} km²` : "";
}

/** What of a layer lies in a class: how many, and how much of lines and areas. */
export function layerText({ sums }: CountedLayer, label: number): string {
  const own = sums.filter((sum) => sum.label === label);
  const shapes = [...new Set(own.map(({ shape }) => shape))];
  const texts = shapes.map((shape) => {
    const ofShape = own.filter((sum) => sum.shape === shape);
    const amount = ofShape.reduce((total, sum) => total + sum.amount, 0);
    if (shape !== "point") {
      return amountText(shape, amount);
    }
    const points = amount === 1 ? "point" : "points";
    return shapes.length > 1 ? `${number(amount)} ${points}` : number(amount);
  });
  return texts.join(" + ") || "·";
}

/** Where an asset lies: its classes with how much of it lies in each. */
export function whereText(
  { shape, parts }: ListedAsset,
  { info }: Pick<ChangeMap, "info">,
  { zones }: Exposure,
): string {
  const names = new Map(info.classes?.map(({ label, name }) => [label, name.toLowerCase()]));
  return parts
    .filter(({ label }) => names.has(label))
    .map(({ label, zone, amount }) => {
      const place = zones.length > 0 ? `, ${zoneName(zones, zone)}` : "";
      return `${names.get(label)!}${place} ${amountText(shape, amount)}`.trim();
    })
    .join("; ");
}

/** What a cut parts, in words. */
export function cutText({ connects: [from, to], aroundM }: RoadCut): string {
  const round =
    aroundM === null ? "no dry way round" : `dry way round ${number(aroundM / 1000, 1)} km`;
  if (from === to) {
    return from === null ? `reached from no place; ${round}` : `on the way from ${from}; ${round}`;
  }
  const ends = from && to ? `parts ${from} from ${to}` : `no dry road on from ${from ?? to!}`;
  return `${ends}; ${round}`;
}

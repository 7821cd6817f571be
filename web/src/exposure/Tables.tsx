import type { ReactNode } from "react";
import type { Exposure, ListedAsset } from "@hindglance/contract/exposure";
import { peopleOf } from "@hindglance/core/exposure/people";
import type { ClassInfo } from "@hindglance/core/graph/image";
import type { RoadCut } from "@hindglance/core/exposure/roads";
import { IN_NO_ZONE } from "@hindglance/core/tally/zoneName";
import type { ChangeMap } from "../api/types";
import { number } from "../lib/format";
import { cx } from "../ui/cx";
import { cutText, layerText, peopleText, whereText } from "@hindglance/contract/exposureWords";

type Place = [lon: number, lat: number];

interface Props {
  map: ChangeMap;
  exposure: Exposure;
}

/** Classes of a map under which anything lies. */
function classesWith({ info }: ChangeMap, isUsed: (label: number) => boolean): ClassInfo[] {
  return (info.classes ?? []).filter(({ label }) => isUsed(label));
}

const NUMBER = "px-2 text-right font-mono text-[12.5px]";

/** A card with a table in it. */
const Card = ({ title, children }: { title: string; children: ReactNode }) => (
  <section className="rounded-card border border-line bg-paper px-4 py-3">
    <h2 className="mb-1.5 text-label text-soft">{title}</h2>
    <div className="overflow-x-auto">{children}</div>
  </section>
);

/** Heads of the classes of a map over their numbers. */
const ClassHead = ({ classes, first }: { classes: readonly ClassInfo[]; first: string }) => (
  <thead>
    <tr>
      <th scope="col" className="text-left text-label font-normal text-soft">
        {first}
      </th>
      {classes.map(({ label, name, color }) => (
        <th
          key={label}
          scope="col"
          title={name}
          className="max-w-[96px] px-2 text-right align-bottom font-semibold leading-tight"
        >
          <span
            className="mr-1.5 inline-block h-2.5 w-2.5 rounded-[3px]"
            style={{ background: color }}
            aria-hidden
          />
          {name}
        </th>
      ))}
    </tr>
  </thead>
);

interface RowProps {
  classes: readonly ClassInfo[];
  name: string;
  isSum?: boolean;
  text(label: number): string;
}

/** A row with a number for each class. */
const ClassRow = ({ classes, name, isSum = false, text }: RowProps) => (
  <tr className={cx(isSum && "border-t border-line font-semibold")}>
    <th scope="row" className="max-w-[140px] truncate text-left font-medium" title={name}>
      {name}
    </th>
    {classes.map(({ label }) => (
      <td key={label} className={NUMBER}>
        {text(label)}
      </td>
    ))}
  </tr>
);

/** People by zone and class. */
export function PeopleTable({ map, exposure }: Props) {
  const { people, zones } = exposure;
  if (!people) {
    return null;
  }
  const { sums, name } = people;
  const classes = classesWith(map, (label) => peopleOf(sums, label, null) > 0);
  const rows = [
    ...zones.map((zone, k) => ({ zone: k + 1, name: zone })),
    ...(zones.length > 0 ? [{ zone: 0, name: IN_NO_ZONE }] : []),
  ];
  return (
    <Card title={`People, by ${name}`}>
      <table className="w-full" aria-label="People by class">
        <ClassHead classes={classes} first="zone" />
        <tbody>
          {rows.map((row) => (
            <ClassRow
              key={row.zone}
              classes={classes}
              name={row.name}
              text={(label) => peopleText(peopleOf(sums, label, row.zone))}
            />
          ))}
          <ClassRow
            classes={classes}
            name={zones.length > 0 ? "All" : "Whole map"}
            isSum
            text={(label) => peopleText(peopleOf(sums, label, null))}
          />
        </tbody>
      </table>
    </Card>
  );
}

/** Land cover by class of the map, km². */
export function CoverTable({ map, exposure }: Props) {
  const { cover } = exposure;
  if (!cover) {
    return null;
  }
  const areaOf = (own: number, label: number) =>
    cover.sums.reduce(
      (sum, one) => (one.cover === own && one.label === label ? sum + one.areaM2 : sum),
      0,
    );
  const classes = classesWith(map, (label) =>
    cover.sums.some((sum) => sum.label === label && sum.areaM2 > 0),
  );
  const there = cover.classes.filter(({ label: own }) =>
    classes.some(({ label }) => areaOf(own, label) > 0),
  );
  return (
    <Card title={`Land cover by ${cover.name}, km²`}>
      <table className="w-full" aria-label="Land cover by class">
        <ClassHead classes={classes} first="land cover" />
        <tbody>
          {there.map(({ label: own, name }) => (
            <ClassRow
              key={own}
              classes={classes}
              name={name}
              text={(label) => {
                const m2 = areaOf(own, label);
                return m2 === 0 ? "·" : number(m2 / 1e6, 3);
              }}
            />
          ))}
        </tbody>
      </table>
    </Card>
  );
}

/** Layers of assets by class. */
export function LayerTable({ map, exposure: { layers } }: Props) {
  if (layers.length === 0) {
    return null;
  }
  const classes = classesWith(map, (label) =>
    layers.some(({ sums }) => sums.some((sum) => sum.label === label)),
  );
  return (
    <Card title="Assets">
      <table className="w-full" aria-label="Assets by class">
        <ClassHead classes={classes} first="layer" />
        <tbody>
          {layers.map((layer) => (
            <ClassRow
              key={layer.overlayId}
              classes={classes}
              name={layer.name}
              text={(label) => layerText(layer, label)}
            />
          ))}
        </tbody>
      </table>
    </Card>
  );
}

interface ShowProps extends Props {
  /** Brings a place into view. */
  show(at: Place): void;
}

/** Roads that are cut, and what they part. */
export function CutTable({ exposure, show }: ShowProps) {
  const { cuts, layers } = exposure;
  if (!layers.some(({ isRoads }) => isRoads)) {
    return null;
  }
  return (
    <Card title="Roads cut">
      {cuts.length === 0 ? (
        <p className="text-soft">No road lies under these classes.</p>
      ) : (
        <ul aria-label="Roads cut" className="max-h-[220px] overflow-y-auto">
          {cuts.map((cut, k) => (
            <Cut key={k} cut={cut} show={show} />
          ))}
        </ul>
      )}
    </Card>
  );
}

const Cut = ({ cut, show }: { cut: RoadCut; show(at: Place): void }) => (
  <Line
    at={cut.at}
    show={show}
    name={cut.name}
    right={`${number(cut.metres)} m${cut.stretches > 1 ? ` in ${cut.stretches} stretches` : ""}${cut.deepestM === null ? "" : `, to ${number(cut.deepestM, 1)} m deep`}`}
    text={cutText(cut)}
  />
);

/** Most assets that are shown on the page; the table of the file has all. */
const SHOWN = 300;

/** Assets that lie in some class, one by one. */
export function AssetList({ map, exposure, show }: ShowProps) {
  const { listed, affected, layers } = exposure;
  if (layers.length === 0) {
    return null;
  }
  return (
    <Card title={`Assets in a class: ${number(affected)}`}>
      <ul aria-label="Assets in a class" className="max-h-[260px] overflow-y-auto">
        {listed.slice(0, SHOWN).map((asset, k) => (
          <Asset key={k} {...{ map, exposure, show, asset }} />
        ))}
      </ul>
      {affected > SHOWN && (
        <p className="mt-1 text-soft">
          The first {number(SHOWN)}; CSV has {number(listed.length)}
          {affected > listed.length ? `, the sums have all ${number(affected)}` : ""}.
        </p>
      )}
    </Card>
  );
}

const Asset = ({ map, exposure, show, asset }: ShowProps & { asset: ListedAsset }) => (
  <Line
    at={asset.at}
    show={show}
    name={asset.name}
    right={asset.depth ? `to ${number(asset.depth.deepestM, 1)} m deep` : ""}
    text={`${exposure.layers[asset.layer]!.name}: ${whereText(asset, map, exposure)}`}
  />
);

interface LineProps {
  at: Place;
  show(at: Place): void;
  name: string;
  right: string;
  text: string;
}

/** A thing of a list that a click brings into view. */
const Line = ({ at, show, name, right, text }: LineProps) => (
  <li>
    <button
      type="button"
      title="Show on the map"
      className="w-full rounded-field px-1.5 py-1 text-left hover:bg-bone"
      onClick={() => show(at)}
    >
      <span className="flex items-baseline gap-2">
        <b className="min-w-0 flex-1 truncate font-semibold">{name}</b>
        <span className="shrink-0 font-mono text-[12px]">{right}</span>
      </span>
      <span className="block text-label text-soft">{text}</span>
    </button>
  </li>
);

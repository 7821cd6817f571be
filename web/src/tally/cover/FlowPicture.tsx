import { useRef } from "react";
import { Rectangle, ResponsiveContainer, Sankey } from "recharts";
import type { CoverClass } from "@hindglance/core/cover/coverClass";
import type { FromToTable } from "@hindglance/core/cover/fromToTable";
import { areaSaid } from "../../lib/format";
import { saveText } from "../../lib/save";
import { Button } from "../../ui/Button";
import { cx } from "../../ui/cx";
import type { Picked } from "./FromToTableView";

interface Props {
  classes: readonly CoverClass[];
  table: FromToTable;
  picked: Picked | null;
  onPick(picked: Picked | null): void;
}

interface FlowNode {
  name: string;
  color: string;
  isAfter: boolean;
  areaM2: number;
}
interface FlowLink extends Picked {
  source: number;
  target: number;
  value: number;
}

/** Classes on either side and what goes from one to the other; classes without ground are left out. */
function flowOf({ classes, table }: Props): { nodes: FlowNode[]; links: FlowLink[] } {
  const onSide = (side: "before" | "after") =>
    classes.flatMap((_one, k) => (table.classes[k]![side].cells > 0 ? [k] : []));
  const [left, right] = [onSide("before"), onSide("after")];
  const node = (k: number, isAfter: boolean): FlowNode => ({
    ...{ name: classes[k]!.name, color: classes[k]!.color, isAfter },
    areaM2: table.classes[k]![isAfter ? "after" : "before"].areaM2,
  });
  return {
    nodes: [...left.map((k) => node(k, false)), ...right.map((k) => node(k, true))],
    links: left.flatMap((from, source) =>
      right.flatMap((to, place) => {
        const { areaM2, cells } = table.cells[from]![to]!;
        const target = left.length + place;
        return cells > 0 ? [{ source, target, value: areaM2, from, to }] : [];
      }),
    ),
  };
}

interface BarProps extends Record<"x" | "y" | "width" | "height", number> {
  node: FlowNode;
}

function ClassBar({ x, y, width, height, node }: BarProps) {
  const { name, color, isAfter, areaM2 } = node;
  return (
    <g>
      <Rectangle x={x} y={y} width={width} height={Math.max(1, height)} fill={color} />
      <text
        x={isAfter ? x - 6 : x + width + 6}
        y={y + height / 2}
        dy="0.35em"
        textAnchor={isAfter ? "end" : "start"}
        fontSize={11}
        fill="#1d2a2b"
      >
        {name} {areaSaid(areaM2)}
      </text>
    </g>
  );
}

interface FlowProps
  extends
    Record<"sourceX" | "targetX" | "sourceY" | "targetY", number>,
    Record<"sourceControlX" | "targetControlX" | "linkWidth", number> {
  link: FlowLink;
  /** Colour and names of its ends. */
  color: string;
  title: string;
  isPicked: boolean;
  onPick(): void;
}

/** What goes from one class to another: grey where it stays, else in the colour it had. */
function Flow({ link, color, title, isPicked, onPick, ...at }: FlowProps) {
  const { sourceX, targetX, sourceY, targetY, sourceControlX, targetControlX, linkWidth } = at;
  const isSame = link.from === link.to;
  const own = isSame ? "#bdb8aa" : color;
  return (
    <path
      d={`M${sourceX},${sourceY} C${sourceControlX},${sourceY} ${targetControlX},${targetY} ${targetX},${targetY}`}
      fill="none"
      stroke={isPicked ? "#e0512b" : own}
      strokeOpacity={isPicked || !isSame ? 0.75 : 0.4}
      strokeWidth={Math.max(1, linkWidth)}
      className="cursor-pointer"
      onClick={onPick}
    >
      <title>{title}</title>
    </path>
  );
}

/** What flows from class to class, as a picture that can be kept. */
export function FlowPicture(props: Props) {
  const { picked, onPick } = props;
  const box = useRef<HTMLDivElement>(null);
  const { nodes, links } = flowOf(props);
  const keep = () => {
    const svg = box.current?.querySelector("svg");
    if (svg) {
      const text = new XMLSerializer().serializeToString(svg);
      saveText("land_cover_flow.svg", text, "image/svg+xml");
    }
  };
  return (
    <figure
      aria-label="What flows from class to class"
      className={cx("relative h-full min-h-[200px] rounded-card border border-line bg-paper p-3")}
    >
      <div ref={box} className="h-full">
        {links.length > 0 && (
          <ResponsiveContainer width="100%" height="100%">
            <Sankey
              data={{ nodes, links }}
              nodeWidth={10}
              nodePadding={12}
              sort={false}
              iterations={0}
              margin={{ top: 22, bottom: 6, left: 2, right: 2 }}
              node={({ index, x, y, width, height }) => (
                <ClassBar {...{ x, y, width, height }} node={nodes[index]!} />
              )}
              link={({ index, payload: _payload, ...at }) => {
                const link = links[index]!;
                const [was, is] = [nodes[link.source]!, nodes[link.target]!];
                const isPicked = picked?.from === link.from && picked.to === link.to;
                return (
                  <Flow
                    {...{ ...at, link, isPicked }}
                    color={was.color}
                    title={`${was.name} to ${is.name}: ${areaSaid(link.value)}`}
                    onPick={() => onPick(isPicked ? null : { from: link.from, to: link.to })}
                  />
                );
              }}
            />
          </ResponsiveContainer>
        )}
      </div>
      <figcaption className="absolute inset-x-3 top-1.5 flex items-center justify-between text-label text-soft">
        before
        <Button tone="quiet" className="h-6 px-1.5" onClick={keep}>
          Keep as SVG
        </Button>
        after
      </figcaption>
    </figure>
  );
}

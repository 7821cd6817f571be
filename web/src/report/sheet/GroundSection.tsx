import { ZoomIn, ZoomOut } from "lucide-react";
import { niceUp } from "@hindglance/core/sheet/scale";
import { Section } from "../../frame/Section";
import { Button } from "../../ui/Button";
import { Row } from "../../ui/Labelled";
import { NumberField } from "../../ui/NumberField";
import { type Grounds, SCALES } from "./grounds";

/** The next round scale that is finer by a step or more. */
const finer = (scale: number): number => niceUp(scale / 1.6);
const coarser = (scale: number): number => niceUp(scale * 1.25);

/** Which ground the picked map shows: its scale and where it lies. */
export function GroundSection({ grounds }: { grounds: Grounds }) {
  const { map, isMoving, setMoving, setScale, reset } = grounds;
  if (!map) {
    return null;
  }
  const { scale, name, isPicked } = map;
  return (
    <Section title={`Ground of “${name}”`}>
      <Row label="Scale">
        <span className="flex items-center gap-1.5">
          <Button
            aria-label="Less ground, larger"
            disabled={scale <= SCALES.finest}
            onClick={() => setScale(Math.max(SCALES.finest, finer(scale)))}
          >
            <ZoomIn size={14} aria-hidden />
          </Button>
          <Button
            aria-label="More ground, smaller"
            disabled={scale >= SCALES.coarsest}
            onClick={() => setScale(Math.min(SCALES.coarsest, coarser(scale)))}
          >
            <ZoomOut size={14} aria-hidden />
          </Button>
          <NumberField
            label="Scale of the map, one to"
            prefix="1 :"
            value={scale}
            min={SCALES.finest}
            max={SCALES.coarsest}
            decimals={0}
            step={1000}
            onCommit={setScale}
          />
        </span>
      </Row>
      <div className="flex flex-wrap gap-1.5">
        <Button
          aria-pressed={isMoving}
          tone={isMoving ? "act" : "plain"}
          onClick={() => setMoving(!isMoving)}
        >
          {isMoving ? "Stop moving the ground" : "Move the ground"}
        </Button>
        <Button disabled={!isPicked} onClick={reset}>
          {map.kind === "detail" ? "Around the largest patch" : "All of the map"}
        </Button>
      </div>
      <p className="mt-2 text-label text-soft">
        Scales are rounded up to the next plain number, so that all that was asked for is seen.
      </p>
    </Section>
  );
}

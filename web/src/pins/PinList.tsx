import { CheckCircle2, Circle, HelpCircle, X, XCircle } from "lucide-react";
import type { Scene, Study } from "../api/types";
import { Section } from "../frame/Section";
import { cx } from "../ui/cx";
import { Expect } from "./Expect";
import { expectationText } from "./expectation";
import { usePinEdits } from "./pins";
import { type Pin, type PinState, type PlaceValues, pinState } from "./values";

const STATE: Record<PinState, { icon: typeof Circle; className: string; say: string }> = {
  met: { icon: CheckCircle2, className: "text-spruce", say: "as expected" },
  missed: { icon: XCircle, className: "text-wrong", say: "not as expected" },
  unknown: { icon: HelpCircle, className: "text-[#a9760b]", say: "no value yet" },
  free: { icon: Circle, className: "text-soft", say: "nothing expected" },
};

interface Props {
  study: Study;
  scenes: Scene[];
  pins: Pin[];
  values: PlaceValues | undefined;
  onPick(pin: Pin): void;
  pickedId: string | null;
}

/** The pins of a study with what is expected of them: green or red on every visit. */
export function PinList({ study, scenes, pins, values, onPick, pickedId }: Props) {
  const { remove } = usePinEdits(study.id);
  return (
    <Section title={`Pins${pins.length ? ` · ${pins.length}` : ""}`}>
      {pins.length === 0 && (
        <p className="text-soft">
          Click a place on the picture: its values on all dates show, and can be kept as a pin.
        </p>
      )}
      <ul className="-mx-2">
        {pins.map((pin, k) => {
          const { state, missed } = pinState(pin, k, values);
          const { icon: Icon, className, say } = STATE[state];
          return (
            <li
              key={pin.id}
              className={cx(
                "flex items-center gap-2 rounded-field px-2 py-1",
                pin.id === pickedId && "bg-bone",
              )}
            >
              <Icon size={15} aria-label={say} className={cx("shrink-0", className)} />
              <button
                type="button"
                className="min-w-0 flex-1 text-left"
                onClick={() => onPick(pin)}
              >
                <span className="block truncate font-medium">{pin.name}</span>
                <span className="block truncate text-label text-soft">
                  {expectationText(pin.expected, missed, scenes, values)}
                </span>
              </button>
              <Expect study={study} pin={pin} scenes={scenes} values={values} at={k} />
              <button
                type="button"
                aria-label={`Remove pin ${pin.name}`}
                className="text-soft hover:text-wrong"
                onClick={() => remove.mutate(pin.id)}
              >
                <X size={14} aria-hidden />
              </button>
            </li>
          );
        })}
      </ul>
    </Section>
  );
}

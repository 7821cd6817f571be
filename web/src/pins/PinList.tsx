import { useState } from "react";
import { CheckCircle2, Circle, HelpCircle, X, XCircle } from "lucide-react";
import type { Scene, Study } from "../api/types";
import { Section } from "../frame/Frame";
import { dayYear, number } from "../lib/format";
import { Button, Labelled, Pick, Pop } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { usePinEdits } from "./pins";
import { type Expectation, type Pin, type PinState, type PlaceValues, pinState } from "./values";

const STATE: Record<PinState, { icon: typeof Circle; className: string; say: string }> = {
  met: { icon: CheckCircle2, className: "text-spruce", say: "as expected" },
  missed: { icon: XCircle, className: "text-wrong", say: "not as expected" },
  unknown: { icon: HelpCircle, className: "text-[#a9760b]", say: "no value yet" },
  free: { icon: Circle, className: "text-soft", say: "nothing expected" },
};

/** The pins of a study with what is expected of them: green or red on every visit. */
export function PinList({
  study,
  scenes,
  pins,
  values,
  onPick,
  pickedId,
}: {
  study: Study;
  scenes: Scene[];
  pins: Pin[];
  values: PlaceValues | undefined;
  onPick(pin: Pin): void;
  pickedId: string | null;
}) {
  const { remove } = usePinEdits(study.id);
  return (
    <Section title={`Pins${pins.length ? ` · ${pins.length}` : ""}`}>
      {pins.length === 0 && (
        <p className="text-soft">
          Click a place on the picture: its values on all dates show, and can be kept as a pin.
        </p>
      )}
      <ul className="-mx-2">
        {pins.map((pin, i) => {
          const { state, missed } = pinState(pin, i, values);
          const m = STATE[state];
          const Icon = m.icon;
          const expectation = pin.expected;
          return (
            <li
              key={pin.id}
              className={`flex items-center gap-2 rounded-field px-2 py-1 ${pin.id === pickedId ? "bg-bone" : ""}`}
            >
              <Icon size={15} aria-label={m.say} className={`shrink-0 ${m.className}`} />
              <button
                type="button"
                className="min-w-0 flex-1 text-left"
                onClick={() => onPick(pin)}
              >
                <span className="block truncate font-medium">{pin.name}</span>
                <span className="block truncate text-label text-soft">
                  {!expectation
                    ? "nothing expected"
                    : `${expectation.band} ${number(expectation.value, 1)} ± ${number(expectation.tolerance, 1)}, ${expectation.sceneId ? (scenes.find((scene) => scene.id === expectation.sceneId)?.name ?? "a scene that is gone") : "every date"}${missed.length ? `: ${missed.map((x) => `${number(x.value, 1)} on ${scenes.find((scene) => scene.id === x.sceneId)?.name ?? ""}`).join(", ")}` : ""}`}
                </span>
              </button>
              <Expect study={study} pin={pin} scenes={scenes} values={values} at={i} />
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

/** What a pin must show. */
function Expect({
  study,
  pin,
  scenes,
  values,
  at,
}: {
  study: Study;
  pin: Pin;
  scenes: Scene[];
  values: PlaceValues | undefined;
  at: number;
}) {
  const [open, setOpen] = useState(false);
  const { update } = usePinEdits(study.id);
  const bands = [
    ...new Set(
      (values?.scenes ?? [])
        .filter((scene) => !scene.classes)
        .flatMap((scene) =>
          scene.bands
            .filter((band) => !["angle", "hidden"].includes(band.role))
            .map((band) => band.key),
        ),
    ),
  ];
  const first = bands[0] ?? "";
  const valueOf = (sceneId: string | null, band: string): number => {
    const found = (values?.scenes ?? [])
      .filter((scene) => sceneId === null || scene.sceneId === sceneId)
      .flatMap((scene) => {
        const k = scene.bands.findIndex((b) => b.key === band);
        const x = k < 0 ? null : scene.values[at]?.[k];
        return x == null ? [] : [x];
      })
      .sort((a, b) => a - b);
    return found.length ? Math.round(found[found.length >> 1]! * 10) / 10 : 0;
  };
  const [draft, setDraft] = useState<Expectation | null>(null);
  const expectation = draft ??
    pin.expected ?? { sceneId: null, band: first, value: valueOf(null, first), tolerance: 2 };
  return (
    <Pop
      label={`What ${pin.name} is expected to show`}
      open={open}
      onOpenChange={(isOpen) => {
        setOpen(isOpen);
        setDraft(null);
      }}
      trigger={
        <Button tone="quiet" className="h-6 px-1.5 text-label">
          {pin.expected ? "Change" : "Expect …"}
        </Button>
      }
    >
      <Labelled label="Band">
        {(id) => (
          <Pick
            id={id}
            label="Band"
            value={expectation.band}
            onChange={(band) =>
              setDraft({ ...expectation, band, value: valueOf(expectation.sceneId, band) })
            }
            options={bands.map((band) => ({ value: band, name: band }))}
          />
        )}
      </Labelled>
      <Labelled label="On">
        {(id) => (
          <Pick
            id={id}
            label="On"
            value={expectation.sceneId ?? "every"}
            onChange={(value) => {
              const sceneId = value === "every" ? null : value;
              setDraft({ ...expectation, sceneId, value: valueOf(sceneId, expectation.band) });
            }}
            options={[
              { value: "every", name: "every date" },
              ...scenes
                .filter((scene) => scene.acquiredAt)
                .map((scene) => ({
                  value: scene.id,
                  name: `${scene.name}, ${dayYear(scene.acquiredAt!)}`,
                })),
            ]}
          />
        )}
      </Labelled>
      <div className="mb-3 flex items-center gap-2">
        <NumberField
          label="Expected value"
          decimals={2}
          value={expectation.value}
          onCommit={(value) => setDraft({ ...expectation, value })}
        />
        <span>±</span>
        <NumberField
          label="Tolerance"
          decimals={2}
          min={0.001}
          value={expectation.tolerance}
          onCommit={(tolerance) => setDraft({ ...expectation, tolerance })}
        />
      </div>
      <div className="flex justify-end gap-2">
        {pin.expected && (
          <Button
            onClick={() => {
              update.mutate({ id: pin.id, expected: null });
              setOpen(false);
            }}
          >
            Nothing
          </Button>
        )}
        <Button
          tone="act"
          disabled={!expectation.band}
          onClick={() => {
            update.mutate({ id: pin.id, expected: expectation });
            setOpen(false);
          }}
        >
          Expect this
        </Button>
      </div>
    </Pop>
  );
}

import type { Scene } from "../../api/types";
import { COMBINATIONS, bandsOfCombination } from "@hindglance/core/optical/wavelengths";
import { Chip } from "../../ui/Chip";
import { Pick } from "../../ui/Pick";
import type { Display } from "../display";

interface Props {
  scene: Scene;
  display: Display;
  /** The band that a single one is shown of. */
  band: number;
  onDisplay(display: Display): void;
}

const CHANNELS = ["Red", "Green", "Blue"] as const;

/** Which band, or which three, are drawn; and combinations that are ready. */
export function BandChoice({ scene, display, band, onDisplay }: Props) {
  const { bands } = scene.info!;
  const options = bands.map(({ name }, k) => ({ value: String(k), name }));
  const setBand = (channel: number, value: string) => {
    const [first, second, third] = display.bands.map((old, k) =>
      k === channel ? Number(value) : old,
    );
    onDisplay({ ...display, bands: [first!, second!, third!] });
  };
  return (
    <>
      {bands.length > 1 && display.mode === "single" && (
        <div className="mb-2">
          <Pick
            label="Band"
            value={String(band)}
            onChange={(value) => setBand(0, value)}
            options={options}
          />
        </div>
      )}
      {bands.length > 1 && display.mode === "three" && (
        <div className="mb-2 grid grid-cols-3 gap-2">
          {CHANNELS.map((name, k) => (
            <div key={name}>
              <span className="text-label text-soft">{name}</span>
              <Pick
                label={name}
                value={String(display.bands[k])}
                onChange={(value) => setBand(k, value)}
                options={options}
              />
            </div>
          ))}
        </div>
      )}
      <Combinations scene={scene} display={display} onDisplay={onDisplay} />
    </>
  );
}

function Combinations({ scene, display, onDisplay }: Omit<Props, "band">) {
  const able = COMBINATIONS.flatMap((combination) => {
    const bands = bandsOfCombination(scene.info!.bands, combination.id);
    return bands ? [{ ...combination, bands }] : [];
  });
  if (able.length === 0) {
    return null;
  }
  return (
    <div className="mb-2 flex flex-wrap gap-1.5" role="group" aria-label="Ready combinations">
      {able.map(({ id, name, hint, bands }) => {
        const isOn = display.mode === "three" && bands.join() === display.bands.join();
        return (
          <Chip
            key={id}
            title={hint}
            on={isOn}
            aria-pressed={isOn}
            onClick={() => onDisplay({ ...display, mode: "three", bands })}
          >
            {name}
          </Chip>
        );
      })}
    </div>
  );
}

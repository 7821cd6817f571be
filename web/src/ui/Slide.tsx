import { Slider } from "radix-ui";

interface Props {
  label: string;
  value: number;
  min: number;
  max: number;
  step: number;
  /** The value in words, for who does not see the line. */
  text: string;
  onChange(value: number): void;
}

/** A number that is set along a line, by the pointer or by the arrow keys. */
export const Slide = ({ label, value, min, max, step, text, onChange }: Props) => (
  <Slider.Root
    className="relative flex h-5 w-full touch-none items-center"
    {...{ min, max, step }}
    value={[value]}
    onValueChange={([next]) => onChange(next!)}
  >
    <Slider.Track className="relative h-[3px] grow rounded-full bg-line">
      <Slider.Range className="absolute h-full rounded-full bg-spruce" />
    </Slider.Track>
    <Slider.Thumb
      aria-label={label}
      aria-valuetext={text}
      className="block h-4 w-4 rounded-full border border-spruce bg-white shadow"
    />
  </Slider.Root>
);

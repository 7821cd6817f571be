import type { ComponentProps } from "react";
import { NumberField } from "./NumberField";

interface Props extends Omit<ComponentProps<typeof NumberField>, "label"> {
  /** What stands before the field. */
  name: string;
  /** What the field is called where its name is short for it. */
  label?: string;
}

/** A number with its name before it, in a line of its own. */
export const NumberLine = ({ name, label = name, ...field }: Props) => (
  <div className="mb-2 flex items-center justify-between last:mb-0">
    {name}
    <NumberField label={label} {...field} />
  </div>
);

import { type ComponentProps, useRef } from "react";
import { Button } from "./Button";

interface Props extends Omit<ComponentProps<typeof Button>, "onClick"> {
  /** What the file is, for who does not see the button. */
  label: string;
  /** Endings and types of files that are offered. */
  accept: string;
  onFile(file: File): void;
}

/** A button that lets one file be chosen; the same one can be chosen again. */
export function FileButton({ label, accept, onFile, ...button }: Props) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button {...button} onClick={() => input.current?.click()} />
      <input
        ref={input}
        type="file"
        accept={accept}
        aria-label={label}
        className="hidden"
        onChange={({ target }) => {
          const chosen = target.files?.[0];
          target.value = "";
          if (chosen) {
            onFile(chosen);
          }
        }}
      />
    </>
  );
}

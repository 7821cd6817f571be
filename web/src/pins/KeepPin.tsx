import { useState } from "react";
import { Button } from "../ui/Button";
import { inputStyle } from "../ui/Labelled";
import { usePinEdits } from "./pins";
import type { Place } from "./values";

interface Props {
  studyId: string;
  place: Place;
  onKept(): void;
}

/** Keeps a place as a pin, under a name. */
export function KeepPin({ studyId, place: [lon, lat], onKept }: Props) {
  const [typed, setTyped] = useState("");
  const { create } = usePinEdits(studyId);
  const name = typed.trim();
  return (
    <form
      className="mt-2 flex gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (name) {
          create.mutate({ name, lon, lat, expected: null }, { onSuccess: onKept });
        }
      }}
    >
      <input
        aria-label="Name of the pin"
        placeholder="Name, such as Mill pond"
        className={inputStyle}
        value={typed}
        maxLength={80}
        onChange={(event) => setTyped(event.target.value)}
      />
      <Button type="submit" disabled={!name || create.isPending}>
        Keep as pin
      </Button>
    </form>
  );
}

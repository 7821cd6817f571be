import { useState } from "react";
import { useMutation } from "@tanstack/react-query";
import { alignRoutes } from "@hindglance/contract/align";
import type { OffsetPlace } from "@hindglance/core/align/alignment";
import type { OffsetModel } from "@hindglance/core/align/offset";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Row } from "../ui/Labelled";
import { Problem } from "../ui/Messages";
import { Pick } from "../ui/Pick";
import type { AlignRow } from "./align";
import { OffsetFigures } from "./OffsetFigures";
import type { Laying } from "./useWay";

interface Props {
  studyId: string;
  date: AlignRow;
  reference: AlignRow;
  laying: Laying;
  /** The offset that is taken off now. */
  place: OffsetPlace | null;
  onTake(place: OffsetPlace): void;
}

function standing(isMeasuring: boolean, found: OffsetPlace | null, isTaken: boolean): string {
  if (isMeasuring) {
    return "Comparing windows …";
  }
  if (!found) {
    return "Not measured yet.";
  }
  return isTaken ? "This offset is taken off." : "Measured, not yet taken.";
}

/**
 * An offset measured from many small windows: what was found, how far it can be trusted, and
 * whether it is taken.
 */
export function OffsetDesk({ studyId, date, reference, laying, place, onTake }: Props) {
  const { band, bands, setBand } = laying;
  const [model, setModel] = useState<OffsetModel>(place?.model ?? "affine");
  const measure = useMutation({
    mutationFn: (inBand: string) =>
      call(alignRoutes.offset, {
        params: { id: studyId },
        body: { referenceId: reference.sceneId, sceneId: date.sceneId, band: inBand, model },
      }),
  });
  const found = measure.data?.place ?? place;
  const isTaken = !!found && !!place && JSON.stringify(found.path) === JSON.stringify(place.path);
  return (
    <>
      <Row label="Band">
        <span className="w-[190px]">
          <Pick
            label="Band"
            value={band ?? ""}
            onChange={setBand}
            options={bands.map((name) => ({ value: name, name }))}
          />
        </span>
      </Row>
      <Row label="Fit">
        <Choice<OffsetModel>
          label="Fit"
          value={model}
          onChange={setModel}
          options={[
            { value: "shift", name: "Shift" },
            { value: "affine", name: "Affine", hint: "Shift, turn, scale and shear" },
          ]}
        />
      </Row>
      <Row label={standing(measure.isPending, found, isTaken)}>
        <Button disabled={!band || measure.isPending} onClick={() => band && measure.mutate(band)}>
          {found ? "Measure again" : "Measure offset"}
        </Button>
      </Row>
      {measure.error && <Problem>{sayError(measure.error)}</Problem>}
      {found && !measure.error && (
        <OffsetFigures
          offset={found}
          grid={date.raw!.info.grid}
          isTaken={isTaken}
          onTake={() => {
            onTake(found);
            measure.reset();
          }}
        />
      )}
    </>
  );
}

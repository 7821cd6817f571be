import type { NodeView } from "../../api/types";
import { looksOf } from "../../map/look";
import { Chip } from "../../ui/Chip";
import { Pick } from "../../ui/Pick";
import type { DateLooks } from "./useDateLooks";

const BAND = "band";

/** Whether the compared band or a picture of three is drawn, and whether both dates alike. */
export function PictureChoice({
  picture,
  bandName,
  looks,
}: {
  picture: NodeView;
  bandName: string;
  looks: DateLooks;
}) {
  const combinations = looksOf(picture.info.bands).filter(
    (choice) => !choice.value.startsWith("band:"),
  );
  return (
    <div className="absolute right-3 top-12 z-10 flex items-center gap-1.5 rounded-card bg-night/85 p-1">
      <Pick
        label="Picture"
        className="h-7 w-[140px]"
        value={looks.look ?? BAND}
        onChange={(value) => looks.setLook(value === BAND ? null : value)}
        options={[{ value: BAND, name: bandName, note: "what is compared" }, ...combinations]}
      />
      {looks.look && (
        <Chip
          on={looks.held}
          aria-pressed={looks.held}
          title="The same colours mean the same reflectance on both dates"
          onClick={() => looks.setHeld(!looks.held)}
        >
          Same stretch
        </Chip>
      )}
    </div>
  );
}

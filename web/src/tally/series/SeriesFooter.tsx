import { Copy } from "lucide-react";
import { copyText } from "../../lib/copyText";
import { Button } from "../../ui/Button";
import { seriesText } from "./series";
import type { SeriesOnScreen } from "./useSeries";

/** Takes the table along, and says what its numbers are. */
export function SeriesFooter({ shown, isRadar }: { shown: SeriesOnScreen; isRadar: boolean }) {
  const { series, counted } = shown;
  return (
    <div className="flex items-center justify-between gap-2">
      <Button
        disabled={!counted || !series}
        onClick={() => {
          if (series) {
            copyText(seriesText(series));
          }
        }}
      >
        <Copy size={14} aria-hidden />
        Copy table
      </Button>
      <span className="text-label text-soft">
        Areas on the WGS 84 ellipsoid; {isRadar ? "means of power" : "plain means"}.
      </span>
    </div>
  );
}

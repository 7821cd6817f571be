import { ScrollText } from "lucide-react";
import { Link } from "react-router";
import { linesAddress, useShownThing } from "../state/shownThing";
import { buttonStyle } from "../ui/Button";
import { cx } from "../ui/cx";

const LABELS = {
  map: "Ledger: the lines that made this map",
  dates: "Ledger: the lines that made these dates",
  study: "Ledger of this study",
} as const;

/** From the numbers of whatever page is open to the lines of the ledger that made them. */
export function LinesLink({ study }: { study: string }) {
  const thing = useShownThing((showing) => showing.thing);
  return (
    <Link
      to={linesAddress(study, thing)}
      aria-label={LABELS[thing.kind]}
      title={LABELS[thing.kind]}
      className={cx(buttonStyle("quiet"), "text-ink")}
    >
      <ScrollText size={16} aria-hidden />
    </Link>
  );
}

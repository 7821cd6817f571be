import { Check } from "lucide-react";
import { bytes, dayYear, time } from "../../lib/format";
import { cx } from "../../ui/cx";
import type { Found } from "./archive";

interface Props {
  item: Found;
  chosen: boolean;
  toggle(): void;
  pointed: boolean;
  point(id: string | null): void;
}

const pictureOf = ({ collection, id }: Found): string =>
  `/api/archive/pictures/${encodeURIComponent(collection)}/${encodeURIComponent(id)}`;

/** One item of the archive: radar products are ticked one by one. */
export function ItemRow({ item, chosen, toggle, pointed, point }: Props) {
  const more = [
    item.pass,
    item.polarisations.join(" "),
    item.mode,
    item.bytes ? bytes(item.bytes) : null,
  ];
  const isRadar = item.kind === "radar";
  return (
    <li
      onMouseEnter={() => point(item.id)}
      onMouseLeave={() => point(null)}
      onFocus={() => point(item.id)}
      onBlur={() => point(null)}
    >
      <label
        className={cx(
          "flex items-center gap-2.5 rounded-field px-1 py-1.5",
          !item.have && item.kind !== "elevation" && "cursor-pointer",
          pointed && "bg-bone",
        )}
      >
        {item.picture ? (
          <img
            alt=""
            loading="lazy"
            src={pictureOf(item)}
            className="h-11 w-[52px] shrink-0 rounded-[4px] bg-night object-cover"
          />
        ) : (
          <span aria-hidden className="h-11 w-[52px] shrink-0 rounded-[4px] bg-[#e2ddd0]" />
        )}
        <span className="min-w-0 flex-1">
          <span className="block truncate font-medium" title={item.id}>
            {item.title}
          </span>
          <span className="block truncate text-label text-soft">
            {isRadar ? `${dayYear(item.from)}, ${time(item.from)}` : ""}
          </span>
          <span className="block text-label text-soft">{more.filter(Boolean).join(" · ")}</span>
        </span>
        {item.have && (
          <span className="flex shrink-0 items-center gap-1 text-label text-spruce">
            <Check size={13} aria-hidden />
            in the study
          </span>
        )}
        {!item.have && isRadar && (
          <input
            type="checkbox"
            aria-label={`Fetch ${item.title}`}
            checked={chosen}
            onChange={toggle}
          />
        )}
      </label>
    </li>
  );
}

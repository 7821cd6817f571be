import { Select } from "radix-ui";
import { Check, ChevronDown } from "lucide-react";
import { cx } from "./cx";

/** One of many, from a list. */
export function Pick<T extends string>({
  value,
  onChange,
  options,
  label,
  className,
  id,
  placeholder = "Choose …",
  disabled = false,
}: {
  value: T | "";
  onChange(next: T): void;
  options: { value: T; name: string; note?: string }[];
  label: string;
  className?: string;
  id?: string;
  /** Said while nothing is picked. */
  placeholder?: string;
  disabled?: boolean;
}) {
  return (
    <Select.Root
      disabled={disabled}
      value={value}
      onValueChange={(next) => {
        const picked = options.find((option) => option.value === next);
        if (picked) {
          onChange(picked.value);
        }
      }}
    >
      <Select.Trigger
        id={id}
        aria-label={label}
        className={cx(
          !className?.includes("w-") && "w-full",
          "inline-flex h-8 items-center justify-between gap-2 rounded-field border border-line bg-white px-2.5 text-left font-medium hover:border-[#b9b2a0]",
          className,
        )}
      >
        <span className="truncate">
          <Select.Value placeholder={placeholder} />
        </span>
        <Select.Icon>
          <ChevronDown size={14} aria-hidden />
        </Select.Icon>
      </Select.Trigger>
      <Select.Portal>
        <Select.Content
          position="popper"
          sideOffset={4}
          className="z-50 max-h-80 min-w-[var(--radix-select-trigger-width)] overflow-hidden rounded-card border border-line bg-white py-1 shadow-lg"
        >
          <Select.Viewport>
            {options.map((option) => (
              <Select.Item
                key={option.value}
                value={option.value}
                className="flex cursor-pointer select-none items-center justify-between gap-4 px-3 py-1.5 outline-none data-[highlighted]:bg-bone"
              >
                <span>
                  <Select.ItemText>{option.name}</Select.ItemText>
                  {option.note && <span className="ml-2 text-label text-soft">{option.note}</span>}
                </span>
                <Select.ItemIndicator>
                  <Check size={14} aria-hidden />
                </Select.ItemIndicator>
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}

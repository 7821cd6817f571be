import { cx } from "./cx";

/** The head of a small table: the first column to the left, the others to the right over their numbers. */
export const HeadRow = ({ names }: { names: readonly string[] }) => (
  <thead>
    <tr className="text-soft">
      {names.map((name, k) => (
        <th
          key={name}
          scope="col"
          className={cx("font-normal", k === 0 ? "text-left" : "text-right")}
        >
          {name}
        </th>
      ))}
    </tr>
  </thead>
);

import type { RecipeOrder } from "@hindglance/contract/recipes";
import { dayYear, time } from "../../lib/format";
import { Button } from "../../ui/Button";

interface Props {
  orders: readonly RecipeOrder[];
  end(id: string): void;
}

const runsText = (runs: number): string => {
  if (runs === 0) {
    return "No date has come yet.";
  }
  return runs === 1 ? "1 date has come." : `${runs} dates have come.`;
};

/** Recipes that are run on every date that comes. */
export const Orders = ({ orders, end }: Props) => (
  <>
    <h2 className="text-label uppercase tracking-wide text-soft">On every new date</h2>
    <ul className="space-y-2" aria-label="Standing orders">
      {orders.map(({ id, recipe, before, createdAt, runs }) => (
        <li
          key={id}
          className="flex items-center gap-3 rounded-card border border-line bg-paper px-3 py-2"
        >
          <div className="min-w-0 flex-1">
            <h3 className="truncate">{recipe.name}</h3>
            <p className="text-label text-soft">
              Against {before ?? "the date before each"}, since {dayYear(createdAt)}{" "}
              {time(createdAt)}. {runsText(runs)}
            </p>
          </div>
          <Button aria-label={`End ${recipe.name} on every new date`} onClick={() => end(id)}>
            End
          </Button>
        </li>
      ))}
    </ul>
  </>
);

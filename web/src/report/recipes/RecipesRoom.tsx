import { type ReactNode, useState } from "react";
import { useScenes } from "../../api/hooks";
import type { Study } from "../../api/types";
import { ReportRoom } from "../ReportRoom";
import { RecipeCard } from "./RecipeCard";
import { RunCard } from "./RunCard";
import { RunDesk } from "./RunDesk";
import { Orders } from "./Orders";
import { type Offered, useOffered, useOrders, useRecipeRuns } from "./useRecipes";

interface Props {
  study: Study;
  head: ReactNode;
  strip: ReactNode;
}

/** The recipe to begin with: one for what the study is about. */
const proposedOf = (offered: readonly Offered[], { hazard }: Study): Offered | undefined =>
  offered.find(({ recipe }) => recipe.hazard === hazard) ?? offered[0];

/** Recipes: what makes maps without anybody at the screen, and its runs in this study. */
export function RecipesRoom({ study, head, strip }: Props) {
  const offered = useOffered(study.id);
  const scenes = useScenes(study.id).data;
  const { runs, run, runList, isBeginning, cancel, remove } = useRecipeRuns(study.id);
  const { orders, add, end, isAdding } = useOrders(study.id);
  const [key, setKey] = useState("own");
  const picked = offered.find((one) => one.key === key) ?? proposedOf(offered, study)!;
  const pair = study.compare ?? { beforeId: null, afterId: null };
  return (
    <ReportRoom
      {...{ head, strip }}
      desk={
        scenes && (
          <RunDesk
            key={picked.key}
            recipe={picked.recipe}
            scenes={scenes}
            pair={pair}
            isBeginning={isBeginning}
            onRun={run}
            onList={runList}
            isOrdering={isAdding}
            onOrder={add}
          />
        )
      }
    >
      <div className="grid grid-cols-2 items-start gap-3">
        <RecipeCard offered={picked} all={offered} pick={setKey} />
        <section aria-label="Runs of recipes" className="space-y-2">
          {orders.length > 0 && <Orders orders={orders} end={end} />}
          <h2 className="text-label uppercase tracking-wide text-soft">Runs in this study</h2>
          {runs?.length === 0 && (
            <p className="text-soft">
              None yet. A run prepares both dates, compares them, writes the map and its files, and
              says where somebody has to look first.
            </p>
          )}
          <ul className="space-y-2">
            {runs?.map((one) => (
              <RunCard
                key={one.id}
                run={one}
                onCancel={() => cancel(one.id)}
                onRemove={() => remove(one.id)}
              />
            ))}
          </ul>
        </section>
      </div>
    </ReportRoom>
  );
}

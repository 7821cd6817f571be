import type { Recipe } from "@hindglance/core/recipe/recipe";

/** Letters of a name at the most. */
const MOST = 120;

/** What a map of a recipe is called where nobody says. */
export const nameFor = (recipe: Recipe, acquiredAt: string | null): string =>
  `${recipe.name}, ${new Date(acquiredAt ?? Date.now()).toISOString().slice(0, 10)}`.slice(0, MOST);

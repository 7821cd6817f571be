import { type RecipeRun, recipeRoutes } from "@hindglance/contract/recipes";
import { FIRST_RECIPES, type Recipe, recipeFrom } from "@hindglance/core/recipe/recipe";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import { keys } from "../../api/hooks";
import { useUi } from "../../state/ui";

/** A recipe that can be picked, and where it comes from. */
export interface Offered {
  key: string;
  name: string;
  note: string;
  recipe: Recipe;
  /** Its id where it was saved and can be deleted. */
  keptId: string | null;
}

const recipesKey = ["recipes"] as const;
const ofStudyKey = (studyId: string) => ["recipes", "study", studyId] as const;
const runsKey = (studyId: string) => ["recipeRuns", studyId] as const;

const ordersKey = (studyId: string) => ["recipeOrders", studyId] as const;

const wrong = (error: Error): void => useUi.getState().say(sayError(error), "wrong");

/** Recipes that can be picked: this study's own settings, those that are always there, saved ones. */
export function useOffered(studyId: string): Offered[] {
  const kept = useQuery({ queryKey: recipesKey, queryFn: () => call(recipeRoutes.list, {}) });
  const own = useQuery({
    queryKey: ofStudyKey(studyId),
    queryFn: () => call(recipeRoutes.ofStudy, { params: { id: studyId } }),
    retry: false,
  });
  return [
    ...(own.data
      ? [
          {
            ...{ key: "own", name: "Settings of this study", note: "as Compare has them" },
            ...{ recipe: own.data, keptId: null },
          },
        ]
      : []),
    ...Object.entries(FIRST_RECIPES).map(([key, recipe]) => ({
      ...{ key, name: recipe.name, note: "always there", recipe, keptId: null },
    })),
    ...(kept.data ?? []).map(({ id, name, version, recipe }) => ({
      ...{ key: id, name, note: `version ${version}`, recipe, keptId: id },
    })),
  ];
}

/** Saves and deletes recipes, and reads them from files. */
export function useKeeping() {
  const queryClient = useQueryClient();
  const again = () => void queryClient.invalidateQueries({ queryKey: recipesKey });
  const save = useMutation({
    mutationFn: (recipe: Recipe) => call(recipeRoutes.save, { body: { recipe } }),
    onSuccess: ({ name, version }) => {
      useUi.getState().say(`“${name}” is saved as version ${version}.`);
      again();
    },
    onError: wrong,
  });
  const remove = useMutation({
    mutationFn: (id: string) => call(recipeRoutes.remove, { params: { id } }),
    onSettled: again,
    onError: wrong,
  });
  const read = async (file: File) => {
    try {
      save.mutate(recipeFrom(JSON.parse(await file.text())));
    } catch (error) {
      useUi.getState().say(`${file.name} is no recipe: ${sayError(error)}`, "wrong");
    }
  };
  return { save: save.mutate, remove: remove.mutate, read };
}

/** Recipes that are run on every new date of a study: listed, given, ended. */
export function useOrders(studyId: string) {
  const queryClient = useQueryClient();
  const params = { id: studyId };
  const again = () => {
    void queryClient.invalidateQueries({ queryKey: ordersKey(studyId) });
    void queryClient.invalidateQueries({ queryKey: keys.ledger(studyId) });
  };
  const orders = useQuery({
    queryKey: ordersKey(studyId),
    queryFn: () => call(recipeRoutes.orders, { params }),
  });
  const add = useMutation({
    mutationFn: (order: { recipe: Recipe; beforeId: string | null }) =>
      call(recipeRoutes.addOrder, { params, body: { ...order, files: ["bundle"] } }),
    onSuccess: again,
    onError: wrong,
  });
  const end = useMutation({
    mutationFn: (id: string) => call(recipeRoutes.removeOrder, { params: { id } }),
    onSettled: again,
    onError: wrong,
  });
  return { orders: orders.data ?? [], add: add.mutate, end: end.mutate, isAdding: add.isPending };
}

const isRunning = (runs: readonly RecipeRun[] | undefined): boolean =>
  runs?.some(({ state }) => state === "running") ?? false;

/** How often is looked for runs that an order has begun, milliseconds. */
const STILL_MS = 5000;

/** What a recipe is run on. */
export interface RunOrder {
  recipe: Recipe;
  beforeId: string;
  afterId: string;
  name: string | null;
}

/** Runs of recipes in a study: those that are there, begun, cancelled, deleted. */
export function useRecipeRuns(studyId: string) {
  const queryClient = useQueryClient();
  const params = { id: studyId };
  const runs = useQuery({
    queryKey: runsKey(studyId),
    queryFn: () => call(recipeRoutes.runs, { params }),
    refetchInterval: ({ state }) => (isRunning(state.data) ? 1000 : STILL_MS),
  });
  const again = () => {
    void queryClient.invalidateQueries({ queryKey: runsKey(studyId) });
    void queryClient.invalidateQueries({ queryKey: keys.runs });
  };
  const told = { onSuccess: again, onError: wrong };
  const files = ["bundle" as const];
  const run = useMutation({
    mutationFn: (order: RunOrder) => call(recipeRoutes.run, { params, body: { ...order, files } }),
    ...told,
  });
  const runList = useMutation({
    mutationFn: ({ recipe, csv }: { recipe: Recipe; csv: string }) =>
      call(recipeRoutes.runList, { params, body: { recipe, csv, files } }),
    ...told,
  });
  const cancel = useMutation({
    mutationFn: (id: string) => call(recipeRoutes.cancelRun, { params: { id } }),
    ...told,
  });
  const remove = useMutation({
    mutationFn: (id: string) => call(recipeRoutes.removeRun, { params: { id } }),
    ...told,
  });
  return {
    runs: runs.data,
    run: run.mutate,
    runList: runList.mutateAsync,
    isBeginning: run.isPending || runList.isPending,
    cancel: cancel.mutate,
    remove: remove.mutate,
  };
}

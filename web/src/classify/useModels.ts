import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type KeptModel, classifyRoutes } from "@hindglance/contract/classify";
import type { Application } from "@hindglance/core/classify/application";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { saveText } from "../lib/save";
import { useUi } from "../state/ui";

const key = (studyId: string) => ["models", studyId] as const;

const NONE: KeptModel[] = [];

/** Models that are kept under names, and what can be done with them. */
export function useModels(studyId: string) {
  const queryClient = useQueryClient();
  const say = useUi.getState().say;
  const params = { id: studyId };
  const again = () => queryClient.invalidateQueries({ queryKey: key(studyId) });
  const models = useQuery({
    queryKey: key(studyId),
    queryFn: () => call(classifyRoutes.models, { params }),
  });
  const keep = useMutation({
    mutationFn: ({ id, ...body }: { id: string; name: string; applied: Application }) =>
      call(classifyRoutes.keepModel, { params: { ...params, model: id }, body }),
    onSuccess: ({ name }) => {
      say(`The model is kept as “${name}”.`);
      return again();
    },
    onError: (error) => say(sayError(error), "wrong"),
  });
  const take = useMutation({
    mutationFn: async (file: File) => {
      const name = file.name.replace(/\.json$/i, "");
      return call(classifyRoutes.importModel, { params, body: { name, text: await file.text() } });
    },
    onSuccess: ({ name }) => {
      say(`The model “${name}” is taken in.`);
      return again();
    },
    onError: (error, file) => say(`${file.name}: ${sayError(error)}`, "wrong"),
  });
  const forget = useMutation({
    mutationFn: (id: string) =>
      call(classifyRoutes.forgetModel, { params: { ...params, model: id } }),
    onSuccess: again,
    onError: (error) => say(sayError(error), "wrong"),
  });
  return {
    models: models.data ?? NONE,
    isPending: keep.isPending || take.isPending || forget.isPending,
    keep: keep.mutate,
    take: take.mutate,
    forget: forget.mutate,
  };
}

/** Hands a model to the browser as a file, with how it is applied. */
export async function saveModel(studyId: string, id: string, applied: Application): Promise<void> {
  try {
    const model = await call(classifyRoutes.model, { params: { id: studyId, model: id } });
    const text = JSON.stringify({ ...model, applied }, null, 1);
    saveText(`model_${id.slice(0, 8)}.json`, text, "application/json");
  } catch (error) {
    useUi.getState().say(sayError(error), "wrong");
  }
}

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import * as yup from "yup";
import { api, sayError } from "../api/client";
import { inputStyle } from "../ui/Labelled";
import { Problem } from "../ui/Messages";

const operationSchema = yup.object({
  tags: yup.array(yup.string().required()).required(),
  parameters: yup.array(yup.object({ name: yup.string().required(), in: yup.string() })).required(),
  requestBody: yup.mixed<object>(),
  responses: yup.mixed<object>().required(),
});
type Operation = yup.InferType<typeof operationSchema>;

interface Described {
  method: string;
  path: string;
  operation: Operation;
}

interface Document {
  paths: Record<string, Record<string, unknown>>;
}

/** Operations of the description, in its order. */
function operationsIn({ paths }: Document): Described[] {
  return Object.entries(paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, operation]) => ({
      ...{ method: method.toUpperCase(), path },
      operation: operationSchema.validateSync(operation),
    })),
  );
}

const asText = (value: unknown): string => JSON.stringify(value, null, 2);

/** One operation: what it takes and what it answers, on demand. */
function OperationLine({ method, path, operation }: Described) {
  const parts = [
    { name: "Parameters", value: operation.parameters },
    { name: "Body", value: operation.requestBody },
    { name: "Answers", value: operation.responses },
  ].filter(({ value }) => value && (!Array.isArray(value) || value.length > 0));
  return (
    <details className="border-t border-line px-3 py-1.5 first:border-t-0">
      <summary className="cursor-pointer font-mono text-[12px]">
        <b className="inline-block w-16">{method}</b> {path}
      </summary>
      {parts.map(({ name, value }) => (
        <div key={name} className="mt-1.5">
          <p className="text-label text-soft">{name}</p>
          <pre className="max-h-72 overflow-auto rounded-field bg-bone p-2 font-mono text-[11px]">
            {asText(value)}
          </pre>
        </div>
      ))}
    </details>
  );
}

/** The interface of the server, as it describes itself: every route with what it takes and answers. */
export function InterfacePage() {
  const [words, setWords] = useState("");
  const { data, error } = useQuery({
    queryKey: ["interface"],
    queryFn: () => api<Document>("GET", "/openapi.json"),
    staleTime: Infinity,
  });
  const all = data ? operationsIn(data) : [];
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  const shown = all.filter(({ method, path, operation }) => {
    const text = `${method} ${path} ${operation.tags.join(" ")}`.toLowerCase();
    return wanted.every((word) => text.includes(word));
  });
  const tags = [...new Set(shown.flatMap(({ operation }) => operation.tags))];
  return (
    <main className="min-h-0 flex-1 overflow-auto bg-bone p-5">
      <div className="mx-auto max-w-[900px] space-y-4">
        <h1 className="text-figure font-bold">Interface</h1>
        <p className="text-soft">
          What the pages ask the server, below <code className="font-mono">/api</code>. The same as
          OpenAPI 3.1:{" "}
          <a className="text-spruce underline" href="/api/openapi.json">
            openapi.json
          </a>
          .
        </p>
        {error && <Problem>{sayError(error)}</Problem>}
        <input
          type="search"
          aria-label="Words of a route"
          placeholder="Words of a route"
          className={inputStyle}
          value={words}
          onChange={(event) => setWords(event.target.value)}
        />
        {tags.map((tag) => (
          <section key={tag} aria-label={tag}>
            <h2 className="mb-1.5 text-label uppercase tracking-wide text-soft">{tag}</h2>
            <div className="rounded-card border border-line bg-paper">
              {shown
                .filter(({ operation }) => operation.tags.includes(tag))
                .map((one) => (
                  <OperationLine key={`${one.method} ${one.path}`} {...one} />
                ))}
            </div>
          </section>
        ))}
        {data && shown.length === 0 && (
          <p className="text-soft">No route has all of these words.</p>
        )}
      </div>
    </main>
  );
}

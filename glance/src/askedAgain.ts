import { existsSync, readFileSync } from "node:fs";
import { parseArgs } from "node:util";
import type { FileFormat } from "@hindglance/contract/files";
import { accountFrom } from "@hindglance/core/again/account";
import { messageOf } from "@hindglance/core/errors";
import { formatsIn } from "./asked";
import { UsageError } from "./usageError";

/** What a call to make maps again asks for. */
export interface AskedAgain {
  /** Accounts of the maps. */
  accounts: string[];
  /** The folder that holds the files that they were made from. */
  inputs: string;
  out: string;
  /** Files that are made, by their format. */
  files: FileFormat[];
  /** The folder with the files that were handed over then, where they are to be held against the new ones. */
  compare: string | null;
  server: string;
  isCheck: boolean;
}

const text = { type: "string" } as const;
const OPTIONS = {
  ...{ inputs: text, out: text, files: text, compare: text, server: text },
  check: { type: "boolean" },
} as const;

function valuesIn(args: string[]) {
  try {
    return parseArgs({ args, options: OPTIONS, allowPositionals: true, strict: true });
  } catch (error) {
    throw new UsageError(messageOf(error));
  }
}

/** @throws UsageError where a file is no account */
function requireAccount(path: string): void {
  if (!existsSync(path)) {
    throw new UsageError(`There is no file ${path}`);
  }
  try {
    accountFrom(JSON.parse(readFileSync(path, "utf8")));
  } catch (error) {
    throw new UsageError(`${path} is no account of a map: ${messageOf(error)}`);
  }
}

/** What a call asks for. @throws UsageError */
export function askedAgainIn(args: string[]): AskedAgain {
  const { values, positionals: accounts } = valuesIn(args);
  if (accounts.length === 0) {
    throw new UsageError("The account is missing: bin/glance again MAP.account.json");
  }
  accounts.forEach(requireAccount);
  const { inputs, out } = values;
  if (!inputs || !existsSync(inputs)) {
    throw new UsageError("--inputs is missing, or not there: the folder that holds the files");
  }
  if (!out) {
    throw new UsageError("--out is missing: the folder that everything is written to");
  }
  if (values.compare && !existsSync(values.compare)) {
    throw new UsageError(`--compare: there is no folder ${values.compare}`);
  }
  return {
    ...{ accounts, inputs, out, compare: values.compare ?? null },
    files: formatsIn(values.files ?? "cog,geojson,csv,provenance"),
    server: values.server ?? "",
    isCheck: values.check ?? false,
  };
}

import { execFileSync } from "node:child_process";
import { openApi } from "./openApi";
import { ROUTE_TABLES } from "./tables";

// The validator is a program of another hand, with the schemas of the standard.
const VALIDATE = `
  import { Validator } from "@seriousme/openapi-schema-validator";
  let text = "";
  for await (const part of process.stdin) text += part;
  const { valid, errors } = await new Validator().validate(JSON.parse(text));
  console.log(JSON.stringify({ valid, errors: errors?.slice?.(0, 5) ?? errors ?? null }));
`;
const validated = (document: object): unknown =>
  JSON.parse(
    execFileSync(process.execPath, ["--input-type=module", "-e", VALIDATE], {
      input: JSON.stringify(document),
      encoding: "utf8",
    }),
  );

test("the description of the interface is valid OpenAPI 3.1", () => {
  expect(validated(openApi(ROUTE_TABLES))).toEqual({ valid: true, errors: null });
});

test("what is not valid is found", () => {
  const { info: _info, ...rest } = openApi(ROUTE_TABLES);
  expect(validated(rest)).toMatchObject({ valid: false });
});

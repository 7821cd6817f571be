// Writes the pages of docs/ that follow from the code: npm run docs
import { writeFileSync } from "node:fs";
import { format } from "prettier";
import { cataloguePage } from "@hindglance/core/catalogue";

writeFileSync(
  "docs/catalogue.md",
  await format(cataloguePage(), { parser: "markdown", printWidth: 100, proseWrap: "always" }),
);

import importX from "eslint-plugin-import-x";
import jsdoc from "eslint-plugin-jsdoc";
import reactHooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";
import { createTypeScriptImportResolver } from "eslint-import-resolver-typescript";

const otherHouses = (houses) =>
  houses.map((house) => ({
    group: [`@hindglance/${house}`, `@hindglance/${house}/*`, `**/${house}/src/**`],
    message: `This house may not import ${house}/.`,
  }));
/** Imports go one way: core <- formats <- server; core <- contract <- server, web, glance; core, formats <- world. */
const forbid = (...houses) => ({
  "no-restricted-imports": ["error", { patterns: otherHouses(houses) }],
});
/** Rooms of the server build on each other: db <- products <- runs <- api. */
const within = (...rooms) => ({
  "no-restricted-imports": [
    "error",
    {
      patterns: [
        ...otherHouses(["glance", "web", "world"]),
        ...rooms.map((room) => ({
          group: [`../${room}/*`, `../../${room}/*`],
          message: `This room may not import ${room}/.`,
        })),
      ],
    },
  ],
});

/** What core/ may not know: the other houses, Node, the DOM, SQL. */
const pure = {
  "no-restricted-imports": [
    "error",
    {
      patterns: [
        ...["formats", "glance", "server", "web", "world"].map((house) => ({
          group: [`@hindglance/${house}`, `@hindglance/${house}/*`, `**/${house}/src/**`],
          message: `core/ may not import ${house}/.`,
        })),
        {
          group: [
            "node:*",
            "fs",
            "path",
            "os",
            "crypto",
            "stream",
            "buffer",
            "worker_threads",
            "pg*",
            "express",
            "react*",
            "ol",
            "ol/*",
          ],
          message: "core/ is pure computation: no I/O, no Node built-ins, no DOM, no SQL.",
        },
      ],
    },
  ],
  "no-restricted-globals": [
    "error",
    "document",
    "window",
    "process",
    "Buffer",
    "fetch",
    "require",
    "localStorage",
  ],
};

/** How a line, a name and a function look. */
const legible = {
  "one-var": ["error", "never"],
  "max-statements-per-line": ["error", { max: 1 }],
  curly: "error",
  "no-nested-ternary": "error",
  "object-shorthand": "error",
  "no-useless-rename": "error",
  complexity: ["error", 15],
  "max-lines-per-function": ["error", { max: 80 }],
  // One letter is for an index or a symbol of the formula that is cited.
  "id-length": [
    "error",
    { min: 2, properties: "never", exceptions: [..."xyzijknrctabemwhs", "_"] },
  ],
  eqeqeq: ["error", "always", { null: "ignore" }],
  "no-console": "off",
};

/** What the compiler's types can tell about a line. */
const typed = {
  "@typescript-eslint/no-non-null-assertion": "off",
  "@typescript-eslint/no-unused-vars": [
    "error",
    { argsIgnorePattern: "^_", varsIgnorePattern: "^_" },
  ],
  "@typescript-eslint/no-floating-promises": "error",
  "@typescript-eslint/no-misused-promises": ["error", { checksVoidReturn: { attributes: false } }],
  "@typescript-eslint/no-unnecessary-type-assertion": "error",
  "@typescript-eslint/no-unsafe-argument": "error",
  "@typescript-eslint/no-unsafe-assignment": "error",
  "@typescript-eslint/no-unsafe-call": "error",
  "@typescript-eslint/no-unsafe-member-access": "error",
  "@typescript-eslint/no-unsafe-return": "error",
  "@typescript-eslint/no-unsafe-type-assertion": "error",
};

const documented = {
  "jsdoc/require-jsdoc": [
    "error",
    {
      publicOnly: true,
      enableFixer: false,
      require: { FunctionDeclaration: true, ArrowFunctionExpression: true, ClassDeclaration: true },
    },
  ],
};

const KERNELS = [
  "core/src/align/correlate.ts",
  "core/src/change/irMad.ts",
  "core/src/classify/isodata.ts",
  "core/src/patches/{holes,label,majority,polygonise,sieve}.ts",
  "core/src/radar/{flatten,overTime,terrain}.ts",
  "core/src/terrain/drainage.ts",
  "formats/src/tiff/unpack.ts",
  "world/src/{ground,radar,simulate}.ts",
  "world/src/optical/ground.ts",
];

const TESTS = ["**/*.test.{ts,tsx}", "**/testing/**", "e2e/**"];

export default tseslint.config(
  {
    ignores: [
      "core/kernels/**",
      "**/*.generated.ts",
      "**/node_modules/**",
      "**/dist/**",
      "data/**",
      "coverage/**",
      "playwright-report/**",
      "test-results/**",
    ],
  },
  { linterOptions: { reportUnusedDisableDirectives: "error" } },
  ...tseslint.configs.recommended,
  { rules: legible },
  {
    files: ["**/*.{ts,tsx}"],
    languageOptions: {
      parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname },
    },
    plugins: { jsdoc, "import-x": importX },
    settings: {
      "import-x/resolver-next": [createTypeScriptImportResolver({ project: "tsconfig.json" })],
      "import-x/parsers": { "@typescript-eslint/parser": [".ts", ".tsx"] },
    },
    rules: { ...typed, ...documented, "import-x/no-cycle": "error" },
  },
  // A test file is a list of cases, and a describe block holds all of them: its length says nothing.
  { files: TESTS, rules: { "max-lines-per-function": "off", "jsdoc/require-jsdoc": "off" } },
  // A kernel is one pass over cells with all of its cases: taken apart into calls it is slower, and
  // harder to hold against the source that it cites.
  { files: KERNELS, rules: { "max-lines-per-function": "off", complexity: "off" } },
  { files: ["core/src/**/*.ts"], ignores: ["**/*.test.ts"], rules: pure },
  { files: ["contract/src/**/*.ts"], rules: forbid("formats", "glance", "server", "web", "world") },
  { files: ["formats/src/**/*.ts"], rules: forbid("glance", "server", "web", "world") },
  { files: ["glance/src/**/*.ts"], rules: forbid("formats", "server", "web", "world") },
  { files: ["world/src/**/*.ts"], rules: forbid("glance", "server", "web") },
  {
    files: ["server/src/{products,runs,eval,preview,report,archive}/**/*.ts"],
    ignores: TESTS,
    rules: {
      "no-restricted-syntax": [
        "error",
        {
          selector: "CallExpression[callee.object.name='client'][callee.property.name='query']",
          message: "SQL has its home in db/, one function a query.",
        },
      ],
    },
  },
  {
    files: ["server/src/**/*.ts"],
    ignores: ["**/*.test.ts", "**/testing/**"],
    rules: forbid("glance", "web", "world"),
  },
  {
    files: ["server/src/products/**/*.ts", "server/src/report/**/*.ts"],
    ignores: TESTS,
    rules: within("api", "runs", "files"),
  },
  { files: ["server/src/files/**/*.ts"], ignores: TESTS, rules: within("api", "runs") },
  {
    files: ["server/src/vectors/**/*.ts"],
    ignores: TESTS,
    rules: within("api", "runs", "db", "preview"),
  },
  { files: ["server/src/runs/**/*.ts"], ignores: TESTS, rules: within("api", "recipes") },
  { files: ["server/src/open/**/*.ts"], ignores: TESTS, rules: within("api", "runs", "recipes") },
  {
    files: ["server/src/recipes/**/*.ts"],
    ignores: TESTS,
    rules: within("api", "runs", "files", "products", "eval", "preview"),
  },
  {
    files: ["server/src/db/**/*.ts"],
    ignores: TESTS,
    rules: within("api", "runs", "files", "products", "eval", "preview"),
  },
  {
    files: ["web/src/**/*.{ts,tsx}"],
    plugins: { "react-hooks": reactHooks },
    rules: {
      ...forbid("formats", "glance", "server", "world"),
      ...reactHooks.configs.recommended.rules,
      "react-hooks/exhaustive-deps": "error",
      "react-hooks/incompatible-library": "error",
    },
  },
);

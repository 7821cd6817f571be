import tseslint from "typescript-eslint";
import reactHooks from "eslint-plugin-react-hooks";

/** Imports go one way: core <- formats <- server; core <- web; core, formats <- world. */
const forbid = (...houses) => ({
  "no-restricted-imports": [
    "error",
    {
      patterns: houses.map((h) => ({
        group: [`@hindglance/${h}`, `@hindglance/${h}/*`, `**/${h}/src/**`],
        message: `This house may not import ${h}/.`,
      })),
    },
  ],
});
const pure = {
  "no-restricted-imports": [
    "error",
    {
      patterns: [
        ...["formats", "server", "web", "world"].map((h) => ({
          group: [`@hindglance/${h}`, `@hindglance/${h}/*`, `**/${h}/src/**`],
          message: `core/ may not import ${h}/.`,
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
  ...tseslint.configs.recommended,
  {
    rules: {
      "@typescript-eslint/no-non-null-assertion": "off",
      "@typescript-eslint/no-unused-vars": [
        "error",
        { argsIgnorePattern: "^_", varsIgnorePattern: "^_" },
      ],
      eqeqeq: ["error", "always", { null: "ignore" }],
      "no-console": "off",
    },
  },
  { files: ["core/src/**/*.ts"], ignores: ["**/*.test.ts"], rules: pure },
  { files: ["formats/src/**/*.ts"], rules: forbid("server", "web", "world") },
  { files: ["world/src/**/*.ts"], rules: forbid("server", "web") },
  {
    files: ["server/src/**/*.ts"],
    ignores: ["**/*.test.ts", "**/testing/**"],
    rules: forbid("web", "world"),
  },
  {
    files: ["web/src/**/*.{ts,tsx}"],
    plugins: { "react-hooks": reactHooks },
    rules: {
      ...forbid("formats", "server", "world"),
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
    },
  },
);

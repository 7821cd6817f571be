/**
 * One project a house, so that each can be run alone. Packages that ship only ES modules are
 * transformed too.
 */
const esmOnly = [
  "@noble",
  "geotiff",
  "quick-lru",
  "xml-utils",
  "web-worker",
  "parse-headers",
  "zstddec",
  "lerc",
  "@petamoriken",
  "p-limit",
  "yocto-queue",
  "ol",
  "rbush",
  "quickselect",
  "earcut",
  "pbf",
  "color-space",
  "color-parse",
  "color-name",
  "color-rgba",
  "geographiclib-geodesic",
  "fast-png",
  "iobuffer",
  "proj4",
  "mgrs",
  "wkt-parser",
  "yup",
];
const project = (name, extra = {}) => ({
  displayName: name,
  roots: [`<rootDir>/${name}/src`],
  testMatch: ["**/*.test.ts", "**/*.test.tsx"],
  testEnvironment: "node",
  transform: {
    "^.+\\.(t|j|mj)sx?$": [
      "@swc/jest",
      {
        jsc: {
          target: "es2022",
          parser: { syntax: "typescript", tsx: true },
          transform: { react: { runtime: "automatic" } },
        },
        module: { type: "commonjs" },
      },
    ],
  },
  transformIgnorePatterns: [`/node_modules/(?!(${esmOnly.join("|")})/)`],
  moduleNameMapper: {
    "^@hindglance/(contract|core|formats|world|server)/(.*)$": "<rootDir>/$1/src/$2",
  },
  ...extra,
});
export default {
  testTimeout: 60000,
  projects: [
    project("contract"),
    project("core"),
    project("formats"),
    project("world"),
    project("web", { setupFiles: ["<rootDir>/web/src/testing/setup.ts"] }),
    project("server"),
  ],
};

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
  "flatbush",
  "flatqueue",
  "parsedbf",
  "@tmcw",
  "flatgeobuf",
  "flatbuffers",
  "slice-source",
  "@repeaterjs",
  "@bokuweb",
  "clipper2-ts",
  "geojson-vt",
];
const houses = {
  "^@hindglance/(contract|core|formats|glance|world|server)/(.*)$": "<rootDir>/$1/src/$2",
};
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
  // Test files run in a sandbox, where each look at a global is slow: these are handed in.
  sandboxInjectedGlobals: ["Math", "Number", "Float32Array", "Float64Array"],
  transformIgnorePatterns: [`/node_modules/(?!(${esmOnly.join("|")})/)`],
  moduleNameMapper: houses,
  ...extra,
});
export default {
  testTimeout: 180000,
  testSequencer: "./scripts/sequencer.mjs",
  projects: [
    project("contract"),
    project("core"),
    project("formats"),
    project("glance"),
    project("world"),
    project("web", {
      setupFiles: ["<rootDir>/web/src/testing/setup.ts"],
      moduleNameMapper: {
        ...houses,
        "\\.ttf\\?url$": "<rootDir>/web/src/testing/address.ts",
        // What sends files is built once for browsers and once for Node.
        "^tus-js-client$": "<rootDir>/node_modules/tus-js-client/lib.es5/browser/index.js",
      },
    }),
    project("server"),
  ],
};

// What Node has and the test's page lacks.
const { TextDecoder, TextEncoder } = require("node:util");

globalThis.TextEncoder ??= TextEncoder;
globalThis.TextDecoder ??= TextDecoder;
globalThis.structuredClone ??= (value) => JSON.parse(JSON.stringify(value));

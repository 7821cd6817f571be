import { TextDecoder, TextEncoder } from "node:util";

// What Node has and the test's page lacks.
for (const [name, value] of Object.entries({ TextDecoder, TextEncoder })) {
  if (!(name in globalThis)) {
    Object.assign(globalThis, { [name]: value });
  }
}

import { existsSync } from "node:fs";
import { join, resolve } from "node:path";
import compression from "compression";
import express, { type Express } from "express";
import helmet from "helmet";
import { OPEN } from "@hindglance/contract/open";
import { openApi } from "@hindglance/contract/openApi";
import { ROUTE_TABLES } from "@hindglance/contract/tables";
import { ACTOR_HEADER } from "@hindglance/contract/route";
import { actingAs, actorIn } from "../actor";
import { AppError } from "../errors";
import type { Services } from "./services";
import { alignRoutes } from "./align";
import { archiveRoutes } from "./archive";
import { changeMapRoutes } from "./changeMaps";
import { crsRoutes } from "./crs";
import { compareRoutes } from "./compare";
import { classifyRoutes } from "./classify";
import { modelRoutes } from "./models";
import { comparisonRoutes } from "./comparison";
import { seriesRoutes } from "./series";
import { presetRoutes } from "./presets";
import { openServices } from "../open/routes";
import { errorHandler, knownHost, sameSite } from "./http";
import { openRoutes } from "./open";
import { imageFileRoutes } from "./imageFiles";
import { nodeRoutes } from "./nodes";
import { pinRoutes } from "./pins";
import { prepareRoutes } from "./prepare";
import { againRoutes } from "./again";
import { fromToRoutes } from "./fromTo";
import { watchRoutes } from "./watch";
import { eventRoutes } from "./events";
import { recipeRoutes } from "./recipes";
import { processRoutes } from "./processes";
import { runRoutes } from "./runs";
import { sceneRoutes } from "./scenes";
import { vectorRoutes } from "./vectors";
import { accuracyRoutes } from "./accuracy";
import { depthRoutes } from "./depth";
import { editRoutes } from "./edits";
import { exposureRoutes } from "./exposure";
import { verdictRoutes } from "./verdicts";
import { sendingRoutes } from "./sending";
import { sheetRoutes } from "./sheet";
import { studyRoutes } from "./studies";
import { uploadRoutes } from "./uploads";

/** Routes whose requests are JSON, in their order. */
const ROUTES = [
  studyRoutes,
  sceneRoutes,
  vectorRoutes,
  nodeRoutes,
  compareRoutes,
  classifyRoutes,
  modelRoutes,
  fromToRoutes,
  againRoutes,
  watchRoutes,
  comparisonRoutes,
  presetRoutes,
  recipeRoutes,
  seriesRoutes,
  prepareRoutes,
  crsRoutes,
  alignRoutes,
  archiveRoutes,
  pinRoutes,
  changeMapRoutes,
  imageFileRoutes,
  sheetRoutes,
  openRoutes,
  verdictRoutes,
  accuracyRoutes,
  depthRoutes,
  editRoutes,
  exposureRoutes,
  runRoutes,
  processRoutes,
  eventRoutes,
];

/** The whole of the server's HTTP surface. */
export function makeApp(services: Services): Express {
  const app = express();
  app.disable("x-powered-by");
  app.locals.checksAnswers = services.config.checkAnswers;
  app.set("query parser", "simple");
  app.use((req, _res, next) => actingAs(actorIn(req.headers[ACTOR_HEADER]), next));
  app.use(
    helmet({
      contentSecurityPolicy: {
        directives: {
          "default-src": ["'self'"],
          "img-src": ["'self'", "data:", "blob:"],
          "style-src": ["'self'", "'unsafe-inline'"],
          "script-src": ["'self'", "'wasm-unsafe-eval'"],
          "worker-src": ["'self'", "blob:"],
          "connect-src": ["'self'"],
          "upgrade-insecure-requests": null,
        },
      },
      strictTransportSecurity: false,
    }),
  );
  app.use(OPEN, knownHost(services.allowedHosts), openServices(services));
  app.use(sameSite(services.allowedHosts));
  app.use(
    compression({
      filter: (req, res) =>
        !/event-stream|octet-stream/.test(String(res.getHeader("content-type"))) &&
        compression.filter(req, res),
    }),
  );
  const api = express.Router();
  api.get("/health", async (_req, res) => {
    await services.db.withClient((client) => client.query("SELECT 1"));
    res.json({ ok: true, name: "Hind Glance" });
  });
  const description = openApi(ROUTE_TABLES);
  api.get("/openapi.json", (_req, res) => {
    res.json(description);
  });
  // Uploads read the raw body themselves; everything else is JSON.
  uploadRoutes(api, services);
  sendingRoutes(api, services);
  api.use(express.json({ limit: "20mb" }));
  for (const routes of ROUTES) {
    routes(api, services);
  }
  api.use(() => {
    throw new AppError(404, "notFound", "There is nothing at this address");
  });
  app.use("/api", api);

  const root = resolve(services.config.webRoot);
  if (existsSync(join(root, "index.html"))) {
    app.use("/assets", express.static(join(root, "assets"), { immutable: true, maxAge: "1y" }));
    app.use(express.static(root, { index: false }));
    app.get("/{*path}", (req, res, next) => {
      if (req.accepts("html")) {
        res.set("cache-control", "no-cache").sendFile(join(root, "index.html"));
      } else {
        next();
      }
    });
  }
  app.use(errorHandler((e) => services.log.error(e)));
  return app;
}

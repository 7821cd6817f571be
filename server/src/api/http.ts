import type { NextFunction, Request, RequestHandler, Response } from "express";
import * as yup from "yup";
import { AppError, errorBody } from "../errors";

/** No number that means anything here is larger; the database's own numbers end soon after it. */
const LARGEST = 1e15;
/** Nothing that is sent is nested deeper. */
const DEEPEST = 60;

/**
 * Refuses what no field of any request can mean, wherever it stands: numbers that are not finite or
 * are absurdly large, and texts with a NUL in them, which the database cannot hold.
 * @throws AppError naming the field
 */
function requireSane(value: unknown, path = "", depth = 0): void {
  const refuse = (what: string): never => {
    throw new AppError(422, "invalid", `${path || "The request"} ${what}`, path || undefined);
  };
  if (typeof value === "number" && !(Math.abs(value) <= LARGEST)) {
    refuse(Number.isFinite(value) ? "is too large a number" : "must be a finite number");
  }
  if (typeof value === "string" && value.includes("\0")) {
    refuse("has a character in it that no text can have (NUL)");
  }
  if (depth > DEEPEST) {
    refuse("is nested too deep");
  }
  if (Array.isArray(value)) {
    value.forEach((item, k) => requireSane(item, `${path}[${k}]`, depth + 1));
  } else if (value !== null && typeof value === "object" && !(value instanceof Date)) {
    for (const [key, item] of Object.entries(value)) {
      requireSane(key, path, depth + 1);
      requireSane(item, path ? `${path}.${key}` : key, depth + 1);
    }
  }
}

/**
 * Checks a body, query or parameters, and says which field is wrong. Unknown fields are refused, so
 * that a typing error is not silently ignored.
 */
export function checked<T>(
  schema: yup.Schema<T>,
  value: unknown,
  where: "body" | "query" | "address",
): T {
  requireSane(value);
  try {
    const cast = schema.validateSync(value ?? {}, {
      strict: where === "body",
      abortEarly: true,
      stripUnknown: false,
    });
    if (where !== "body") {
      // A text became a number.
      requireSane(cast);
    }
    return cast;
  } catch (error) {
    if (!(error instanceof yup.ValidationError)) {
      throw error;
    }
    if (where === "address") {
      throw new AppError(404, "notFound", "There is nothing at this address", error.path);
    }
    throw new AppError(422, "invalid", error.message, error.path || undefined);
  }
}

const uuid = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/;
/** The id in an address, or 404 when it cannot be one. */
export function idOf(req: Request, name = "id"): string {
  const value = String(req.params[name] ?? "").toLowerCase();
  if (!uuid.test(value)) {
    throw new AppError(404, "notFound", "There is nothing at this address");
  }
  return value;
}

/** Answers only to the names that the server was started for. @throws AppError 403 */
export function knownHost(allowed: () => string[]): RequestHandler {
  return (req, _res, next) => {
    const host = (req.headers.host ?? "").toLowerCase();
    const hosts = allowed();
    if (!hosts.includes(host)) {
      throw new AppError(
        403,
        "wrongHost",
        `This server does not answer to the name "${host}"`,
        undefined,
        `Open it as http://${hosts[0]}, or start it with ALLOWED_HOSTS.`,
      );
    }
    next();
  };
}

/**
 * Only pages of this server may drive it: the Host header must be what it was started for, and a
 * request that changes
 * something must come from the same origin or from no page at all.
 */
export function sameSite(allowed: () => string[]): RequestHandler {
  const isKnown = knownHost(allowed);
  return (req, res, next) => {
    void isKnown(req, res, () => {
      const { origin } = req.headers;
      const isOwn =
        origin === undefined ||
        allowed().some((host) => origin === `http://${host}` || origin === `https://${host}`);
      if (!isOwn || req.headers["sec-fetch-site"] === "cross-site") {
        throw new AppError(403, "wrongOrigin", "Another page may not drive this server");
      }
      next();
    });
  };
}

/** What is wrong with the body of a request, as its reader tells it; null for other errors. */
function ofBody(error: unknown): AppError | null {
  const type = error instanceof Error && "type" in error ? error.type : null;
  switch (type) {
    case "entity.parse.failed":
      return new AppError(400, "badJson", "The body is not valid JSON", "body");
    case "entity.too.large":
      return new AppError(413, "tooLarge", "The body is too large", "body");
    default:
      return error instanceof URIError
        ? new AppError(400, "badAddress", "The address is not spelled as addresses are")
        : null;
  }
}

/** Answers every error in the one shape; unexpected ones are logged and not told. */
export function errorHandler(log: (e: unknown) => void) {
  return (e: unknown, _req: Request, res: Response, next: NextFunction): void => {
    if (res.headersSent) {
      next(e);
      return;
    }
    const { status, body, expected } = errorBody(ofBody(e) ?? e);
    if (!expected) {
      log(e);
    }
    res.status(status).json({ error: body });
  };
}

import { messageOf } from "@hindglance/core/errors";
import * as yup from "yup";

/** An object with these fields and no others. */
export const shape = <Fields extends yup.ObjectShape>(fields: Fields) =>
  yup.object(fields).noUnknown().required();

/** A list of things of one shape, which may be empty. */
export const list = <T>(of: yup.ISchema<T>) => yup.array(of).defined();

/** Any text, also an empty one. */
export const text = yup.string().defined();
export const textOrNull = yup.string().nullable().defined();
export const flag = yup.boolean().required();
export const number = yup.number().required();
export const numberOrNull = yup.number().nullable().defined();
export const whole = yup.number().integer().required();
export const uuid = yup.string().uuid().required();
export const uuidOrNull = yup.string().uuid().nullable().defined();
/** The name of who says or does something. @param why said where it is missing */
export const personName = (why: string) =>
  yup.string().trim().min(1, why).max(60, "A name has at most 60 characters").required(why);
/** Identity of a node: 32 hexadecimal digits. */
export const hash = yup
  .string()
  .matches(/^[0-9a-f]{32}$/)
  .required();

/** Something whose shape the core defines and keeps. */
export const ofCore = <T extends object>() => yup.mixed<T>().required();
/** The same, or nothing. */
export const ofCoreOrNull = <T extends object>() => yup.mixed<T>().nullable().defined();
/**
 * Something, or nothing, that one of several schemas checks; its type is given, where a schema
 * cannot tell it.
 * @param schemaFor the schema of what is there; null where nothing like it may be there
 */
export const checkedOrNull = <T extends object>(schemaFor: (value: T) => yup.Schema | null) =>
  yup
    .mixed<T>()
    .nullable()
    .defined()
    .test("checked", "${path} is of no kind that there is", (value, context) => {
      if (value === null) {
        return true;
      }
      try {
        return schemaFor(value)?.validateSync(value, { strict: true }) !== undefined;
      } catch (error) {
        return context.createError({ message: `${context.path}: ${messageOf(error)}` });
      }
    });
/** The type that a schema lets through. */
export type Of<S extends yup.ISchema<unknown>> = yup.InferType<S>;

/** Whether a text is a day of the calendar, such as 2025-05-02 and not 2025-02-31. */
export const isDay = (value: string): boolean =>
  /^\d{4}-\d\d-\d\d$/.test(value) &&
  !Number.isNaN(Date.parse(value)) &&
  new Date(`${value}T00:00:00Z`).toISOString().slice(0, 10) === value;

/** Schema of such a day. */
export const daySchema = () =>
  yup
    .string()
    .matches(/^\d{4}-\d\d-\d\d$/, "${path} must be a date such as 2025-05-02")
    .test("real", "${path} is not a date", (value) => value == null || isDay(value));
/** Schema of a day that must be given. */
export const day = daySchema().required();

const MOMENT = /^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d+)?)?Z$/;

/** Whether a text is a time in UTC on a day of the calendar. */
export const isMoment = (value: string): boolean =>
  MOMENT.test(value) && isDay(value.slice(0, 10)) && !Number.isNaN(Date.parse(value));

/** Schema of such a time. */
export const momentSchema = () =>
  yup
    .string()
    .matches(MOMENT, "${path} must be a UTC time such as 2025-05-02T18:41:10Z")
    .test("real", "${path} is not a date", (value) => value == null || isMoment(value));

import * as yup from "yup";

/** Schema of a colour as two hexadecimal digits each of red, green and blue. */
export const colorSchema = yup
  .string()
  .matches(/^#[0-9a-f]{6}$/i, "must be a colour like #c8246f")
  .required();

/** What every class has, as fields of a schema: its label in the image, its name, its colour. */
export const classFields = {
  label: yup.number().integer().min(1).max(254).required(),
  name: yup.string().trim().min(1).max(60).required(),
  color: colorSchema,
};

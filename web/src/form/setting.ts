/** What a drawn field is given. */
export interface Setting<F> {
  field: F;
  /** The settings that the field is one of. */
  own: Readonly<Record<string, unknown>>;
  /** Changes some of them. */
  change(some: Record<string, unknown>): void;
}

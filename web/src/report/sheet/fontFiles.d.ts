/** The address of a font's file. */
declare module "*.ttf?url" {
  const address: string;
  export default address;
}

/** Bytes of a text in base 64. */
export const bytesOf = (text: string): Uint8Array =>
  Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));

/** Hands a text to the browser as a file to keep. */
export function saveText(name: string, text: string, type: string): void {
  const element = document.createElement("a");
  element.href = URL.createObjectURL(new Blob([text], { type: `${type};charset=utf-8` }));
  element.download = name;
  element.click();
  setTimeout(() => URL.revokeObjectURL(element.href), 10_000);
}

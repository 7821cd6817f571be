import { useUi } from "../state/ui";

/**
 * Puts text on the clipboard and says so, or says that the browser does not let the page.
 * @param what it is, as the notice begins
 */
export function copyText(text: string, what = "The table"): void {
  const { say } = useUi.getState();
  void navigator.clipboard.writeText(text).then(
    () => say(`${what} is on the clipboard.`),
    () => say("The browser does not let the page write to the clipboard.", "wrong"),
  );
}

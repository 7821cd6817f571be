import { useState } from "react";

/**
 * Dialogs here have no trigger of their own: they give the focus back to what had it when they
 * opened.
 */
export function useReturnFocus(open: boolean): (event: Event) => void {
  const [from, setFrom] = useState<Element | null>(null);
  const [wasOpen, setWasOpen] = useState(false);
  // Before the dialog is drawn and takes the focus.
  if (open !== wasOpen) {
    setWasOpen(open);
    if (open) {
      setFrom(document.activeElement);
    }
  }
  return (event) => {
    event.preventDefault();
    if (from instanceof HTMLElement) {
      from.focus();
    }
  };
}

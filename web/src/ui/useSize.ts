import { useEffect, useRef, useState } from "react";

/** Size of an element, kept up to date. */
export function useSize<T extends HTMLElement>(): [
  React.RefObject<T | null>,
  { width: number; height: number },
] {
  const ref = useRef<T>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  useEffect(() => {
    if (!ref.current) {
      return;
    }
    const resizeObserver = new ResizeObserver(([resizeObserverEntry]) =>
      setSize({
        width: resizeObserverEntry!.contentRect.width,
        height: resizeObserverEntry!.contentRect.height,
      }),
    );
    resizeObserver.observe(ref.current);
    return () => resizeObserver.disconnect();
  }, []);
  return [ref, size];
}

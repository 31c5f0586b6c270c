import { useEffect, useRef, useState } from "react";

/** The width of an element in pixels, as it changes. */
export function useWidth<Element extends HTMLElement>(first = 1000) {
  const ref = useRef<Element>(null);
  const [width, setWidth] = useState(first);
  useEffect(() => {
    if (!ref.current) return;
    const watch = new ResizeObserver(([entry]) => entry && setWidth(Math.max(Math.floor(entry.contentRect.width), 320)));
    watch.observe(ref.current);
    return () => watch.disconnect();
  }, []);
  return { ref, width };
}

import { type RefObject, useLayoutEffect, useState } from "react";

/** How large an element is, as it changes [px]. */
export function useSize(box: RefObject<HTMLElement | null>) {
  const [size, setSize] = useState({ width: 0, height: 0 });
  useLayoutEffect(() => {
    const node = box.current;
    if (!node) return;
    const watch = new ResizeObserver(() => setSize({ width: node.clientWidth, height: node.clientHeight }));
    watch.observe(node);
    return () => watch.disconnect();
  }, [box]);
  return size;
}

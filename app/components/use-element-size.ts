import { useCallback, useRef, useState } from 'react';

/** The inner size of an element as it changes, pixels; its observer is let go with it. Give `ref` to the element. */
export function useElementSize(begin: { width: number; height: number }): [size: { width: number; height: number }, ref: (element: Element | null) => void] {
  const [size, setSize] = useState(begin);
  const watcher = useRef<ResizeObserver | null>(null);
  const ref = useCallback((element: Element | null) => {
    watcher.current?.disconnect();
    if (!element) return;
    watcher.current = new ResizeObserver(() => setSize({ width: element.clientWidth, height: element.clientHeight }));
    watcher.current.observe(element);
  }, []);
  return [size, ref];
}

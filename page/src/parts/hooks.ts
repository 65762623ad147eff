import { useEffect, useState } from 'react';
import { flushSync } from 'react-dom';

/** The width of an element before it is measured. CSS pixels. */
const DEFAULT_WIDTH = 1280;

/** The width of an element in CSS pixels, as it changes. */
export function useWidth(element: React.RefObject<HTMLElement | null>): number {
  const [width, setWidth] = useState(DEFAULT_WIDTH);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => entry && setWidth(entry.contentRect.width));
    if (element.current) observer.observe(element.current);
    return () => observer.disconnect();
  }, [element]);
  return width;
}

/** Whether the page is being printed. */
export function usePrinting(): boolean {
  const [printing, setPrinting] = useState(false);
  useEffect(() => {
    // At once: paper does not wait.
    const set = (next: boolean) => (): void => flushSync(() => setPrinting(next));
    const [begin, end] = [set(true), set(false)];
    addEventListener('beforeprint', begin);
    addEventListener('afterprint', end);
    return () => {
      removeEventListener('beforeprint', begin);
      removeEventListener('afterprint', end);
    };
  }, []);
  return printing;
}

import { useEffect, useLayoutEffect, useState } from 'react';
import { flushSync } from 'react-dom';

/** The current width of an element in CSS pixels. Undefined until the element exists. */
export function useWidth(element: HTMLElement | null): number | undefined {
  const [width, setWidth] = useState<number>();
  useLayoutEffect(() => {
    if (!element) return undefined;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    setWidth(element.clientWidth);
    return () => observer.disconnect();
  }, [element]);
  return width;
}

/** Whether an element has been visible. */
export function useSeen(element: HTMLElement | null): boolean {
  const [isSeen, setSeen] = useState(false);
  useEffect(() => {
    if (!element || isSeen) return undefined;
    const observer = new IntersectionObserver((entries) => setSeen(entries.some(({ isIntersecting }) => isIntersecting)));
    observer.observe(element);
    return () => observer.disconnect();
  }, [element, isSeen]);
  return isSeen;
}

/** Whether the page is being printed. */
export function usePrinting(): boolean {
  const [printing, setPrinting] = useState(false);
  useEffect(() => {
    // Synchronously: the browser prints when the listeners have returned.
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

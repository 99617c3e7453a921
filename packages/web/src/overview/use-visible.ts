import { useEffect, useState, type RefObject } from 'react';

/** Whether an element is on the screen, or nearly: what is not need not be drawn. */
export function useVisible(ref: RefObject<Element | null>): boolean {
  const [visible, setVisible] = useState(false);
  useEffect(() => {
    const element = ref.current;
    if (!element || typeof IntersectionObserver === 'undefined') {
      setVisible(true);
      return;
    }
    const observer = new IntersectionObserver(([entry]) => setVisible(entry.isIntersecting), {
      rootMargin: '40px',
    });
    observer.observe(element);
    return () => observer.disconnect();
  }, [ref]);
  return visible;
}

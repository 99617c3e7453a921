import { useLayoutEffect, useRef, useState } from 'react';

/** The size of an element as it is laid out, in CSS pixels. */
export function useSize<Kind extends Element>() {
  const ref = useRef<Kind>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  useLayoutEffect(() => {
    const element = ref.current;
    if (!element) return;
    const measure = () => {
      const { width, height } = element.getBoundingClientRect();
      setSize((before) =>
        before.width === width && before.height === height ? before : { width, height },
      );
    };
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return { ref, ...size };
}

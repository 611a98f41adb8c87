import { type RefObject, useEffect, useRef } from "react";

/** Scroll what appears into sight: what went wrong must be seen by whoever pressed, wherever the button was. */
export function useInSight<T extends HTMLElement>(): RefObject<T | null> {
  const element = useRef<T>(null);
  useEffect(() => {
    element.current?.scrollIntoView?.({ block: "nearest" });
  }, []);
  return element;
}

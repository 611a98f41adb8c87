import { useEffect, useRef } from "react";

/** Calls `step` once now and, while `running`, once a frame. For what moves at the rate of the screen, past React. */
export function useFrames(running: boolean, step: () => void): void {
  const latest = useRef(step);
  useEffect(() => {
    latest.current = step;
    step();
  });
  useEffect(() => {
    if (!running) return;
    let frame = 0;
    const loop = () => {
      latest.current();
      frame = requestAnimationFrame(loop);
    };
    frame = requestAnimationFrame(loop);
    return () => cancelAnimationFrame(frame);
  }, [running]);
}

import { useEffect, useState } from "react";
import type { Viewport } from "../view/viewport";

/** Draw again, a frame later, whenever the camera moves. */
export function useMoves(view: Viewport) {
  const [, tell] = useState(0);
  useEffect(() => {
    let frame = 0;
    const before = view.onMove;
    view.onMove = () => {
      before();
      cancelAnimationFrame(frame);
      frame = requestAnimationFrame(() => tell((n) => n + 1));
    };
    view.draw();
    return () => {
      cancelAnimationFrame(frame);
      view.onMove = before;
    };
  }, [view]);
}

/** What the pointer does in the model: drag turns, moves or draws a box; a click touches. */
import type * as THREE from "three";

export interface Touch {
  region: number | null;
  at: number[] | null;
  add: boolean;
  event: { clientX: number; clientY: number };
}

export interface Rectangle {
  left: number;
  top: number;
  right: number;
  bottom: number;
}

/** The view that the pointer acts on. */
export interface PointerTarget {
  readonly target: THREE.Vector3;
  boxing: boolean;
  hit(event: { clientX: number; clientY: number }): { point: THREE.Vector3; region: number } | null;
  turn(yaw: number, pitch: number, pivot: THREE.Vector3): void;
  pan(dx: number, dy: number): void;
  zoomAt(event: { clientX: number; clientY: number }, factor: number): void;
  onTouch(touch: Touch): void;
  onHover(region: number | null): void;
  onPoint(event: { clientX: number; clientY: number } | null): void;
  onTwice(event: { clientX: number; clientY: number }): void;
  onBox(box: Rectangle, done: boolean, add: boolean): void;
}

/** Listen to a canvas; the function given back ends it. */
export function listenTo(canvas: HTMLCanvasElement, view: PointerTarget): () => void {
  const clear: (() => void)[] = [];
  let drag: {
    x: number;
    y: number;
    from: [number, number];
    pan: boolean;
    box: boolean;
    moved: number;
    pivot: THREE.Vector3;
  } | null = null;
  const rectangle = (event: PointerEvent): Rectangle => {
    const r = canvas.getBoundingClientRect();
    const [x, y] = drag!.from;
    return {
      left: Math.min(x, event.clientX) - r.left,
      right: Math.max(x, event.clientX) - r.left,
      top: Math.min(y, event.clientY) - r.top,
      bottom: Math.max(y, event.clientY) - r.top,
    };
  };
  const on = <K extends keyof HTMLElementEventMap>(
    name: K,
    act: (event: HTMLElementEventMap[K]) => void,
    options?: AddEventListenerOptions,
  ) => {
    canvas.addEventListener(name, act, options);
    clear.push(() => canvas.removeEventListener(name, act));
  };
  on("contextmenu", (event) => event.preventDefault());
  on("pointerdown", (event) => {
    canvas.setPointerCapture(event.pointerId);
    const pan = event.button !== 0 || event.ctrlKey;
    const pivot = view.hit(event)?.point ?? view.target.clone();
    drag = {
      x: event.clientX,
      y: event.clientY,
      from: [event.clientX, event.clientY],
      pan,
      box: view.boxing && !pan,
      moved: 0,
      pivot,
    };
  });
  on("pointermove", (event) => {
    if (!drag) {
      view.onHover(view.hit(event)?.region ?? null);
      view.onPoint(event);
      return;
    }
    const dx = event.clientX - drag.x;
    const dy = event.clientY - drag.y;
    drag.moved += Math.abs(dx) + Math.abs(dy);
    drag.x = event.clientX;
    drag.y = event.clientY;
    if (drag.moved < 4) return;
    view.onPoint(null);
    if (drag.box) view.onBox(rectangle(event), false, event.shiftKey);
    else if (drag.pan) view.pan(dx, dy);
    else view.turn(dx * 0.008, dy * 0.008, drag.pivot);
  });
  on("pointerup", (event) => {
    if (drag && drag.moved < 4 && !drag.pan) {
      const hit = view.hit(event);
      view.onTouch({
        region: hit?.region ?? null,
        at: hit ? [hit.point.x, hit.point.y, hit.point.z] : null,
        add: event.shiftKey,
        event: { clientX: event.clientX, clientY: event.clientY },
      });
    } else if (drag?.box) view.onBox(rectangle(event), true, event.shiftKey);
    drag = null;
    view.onPoint(event);
  });
  on("pointerleave", () => {
    view.onHover(null);
    view.onPoint(null);
  });
  on("dblclick", (event) => view.onTwice(event));
  on(
    "wheel",
    (event) => {
      event.preventDefault();
      const factor = Math.exp(-event.deltaY * (event.ctrlKey ? 0.01 : 0.0015));
      view.zoomAt(event, factor);
    },
    { passive: false },
  );
  return () => {
    for (const act of clear) act();
  };
}

import { useCallback } from "react";
import { post } from "../../api/client";
import { across } from "../../blanks/regions";
import { measure } from "../../parts/numbers";
import { useBench } from "../../study/context";
import { useMoves } from "../../study/useMoves";
import { useViewStore } from "../../view/store";
import type { Viewport } from "../../view/viewport";

const REACH = 5;

/** What a touch of the swatch does: ask for the edge length there, and leave a swatch standing. */
export function useSwatch() {
  const { variant } = useBench();
  return useCallback(
    async (at: number[], normal: number[]) => {
      try {
        const found = await post<{ sizes: number[] }>(`variants/${variant.id}/sizes`, {
          points: [at],
        });
        const size = found.sizes[0];
        const { swatches, setSwatches } = useViewStore.getState();
        if (size) setSwatches([...swatches, { at, normal, size }]);
      } catch {
        // no sizes laid out yet: the brief says so
      }
    },
    [variant.id],
  );
}

/** Lines (pairs of places) of a piece of even triangles of edge `size` about a place. */
export function lattice(at: number[], normal: number[], size: number): number[][][] {
  const [u, v] = across(normal);
  const place = (i: number, j: number) =>
    at.map((c, k) => c + size * ((i + j / 2) * u[k]! + j * (Math.sqrt(3) / 2) * v[k]!));
  const lines: number[][][] = [];
  const inside = (i: number, j: number) =>
    Math.max(Math.abs(i), Math.abs(j), Math.abs(i + j)) <= REACH;
  for (let i = -REACH; i <= REACH; i++)
    for (let j = -REACH; j <= REACH; j++)
      for (const [di, dj] of [
        [1, 0],
        [0, 1],
        [-1, 1],
      ] as const)
        if (inside(i, j) && inside(i + di, j + dj))
          lines.push([place(i, j), place(i + di, j + dj)]);
  return lines;
}

export function Swatches({ view }: { view: Viewport }) {
  useMoves(view);
  const { unit } = useBench();
  const { swatches, setSwatches, tool } = useViewStore();
  if (tool !== "swatch" && swatches.length === 0) return null;
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      <svg className="absolute inset-0 h-full w-full" aria-hidden="true">
        {swatches.flatMap((s, k) =>
          lattice(s.at, s.normal, s.size).map((line, i) => {
            const [a, b] = line.map((p) => view.project(p));
            return (
              <line
                // biome-ignore lint/suspicious/noArrayIndexKey: the lines of a swatch keep their order
                key={`${k} ${i}`}
                x1={a![0]}
                y1={a![1]}
                x2={b![0]}
                y2={b![1]}
                stroke="#1d1a16"
                strokeWidth="0.9"
              />
            );
          }),
        )}
      </svg>
      {swatches.map((s, k) => {
        const [x, y] = view.project(s.at);
        return (
          <button
            // biome-ignore lint/suspicious/noArrayIndexKey: swatches are told apart by their order
            key={k}
            type="button"
            aria-label={`take away the swatch of ${measure(s.size, 3)} ${unit}`}
            title="take this swatch away"
            className="pointer-events-auto absolute border border-ink bg-sheet px-1.5 text-[11.5px] leading-[17px]"
            style={{ left: x + 12, top: y - 26 }}
            onClick={() => setSwatches(swatches.filter((_, i) => i !== k))}
          >
            {measure(s.size, 3)} {unit}
          </button>
        );
      })}
      {tool === "swatch" && swatches.length === 0 && (
        <p className="absolute left-3 top-3 border border-ink bg-sheet px-3 py-1">
          Touch the model: a piece of mesh in true size is drawn there.
        </p>
      )}
    </div>
  );
}

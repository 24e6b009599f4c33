// @vitest-environment jsdom
import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { decades, even, Plot } from "./Plot";

afterEach(cleanup);

describe("the axis of a plot", () => {
  it("goes over whole powers of ten", () => {
    expect(decades([0.3, 2e-3])).toEqual([-3, 0, [1, 0.1, 0.01, 0.001]]);
    // one line at least above and below, and no more than six
    expect(decades([1])[1]).toBeGreaterThan(decades([1])[0]);
    expect(decades([1, 1e-12])[2].length).toBeLessThanOrEqual(6);
  });

  it("ends at round numbers around the values", () => {
    const [low, high, ticks] = even([0.13, 3.7]);
    expect([low, high]).toEqual([0, 4]);
    expect(ticks).toEqual([0, 1, 2, 3, 4]);
    expect(even([5, 5])[0]).toBeLessThanOrEqual(5);
    expect(even([-2, -2])[1]).toBeGreaterThanOrEqual(-2);
  });
});

describe("a plot", () => {
  it("leaves gaps where there is no value, and draws nothing of nothing", () => {
    const points: [number, number | null][] = [
      [0, 1],
      [1, 2],
      [2, null],
      [3, 1],
      [4, 3],
    ];
    const { container, rerender } = render(
      <Plot label="speeds" lines={[{ name: "a", points }]} along="mm" value="m/s" />,
    );
    expect(screen.getByRole("img", { name: "speeds" })).toBeTruthy();
    const drawn = [...container.querySelectorAll("svg[role=img] path")].at(-1)!;
    expect(drawn.getAttribute("d")!.match(/M/g)).toHaveLength(2);
    rerender(<Plot label="speeds" lines={[{ name: "a", points: [] }]} along="mm" value="m/s" />);
    expect(screen.queryByRole("img", { name: "speeds" })).toBeNull();
  });

  it("writes powers of ten as one does", () => {
    const points: [number, number | null][] = [
      [1, 1],
      [2, 1e-5],
    ];
    render(<Plot label="r" lines={[{ name: "a", points }]} along="" value="" log />);
    expect(screen.getByText("10⁻⁵")).toBeTruthy();
  });
});

import { describe, expect, it } from "vitest";
import { bytes, count, counted, duration, measure } from "./numbers";

describe("numbers", () => {
  it("separates thousands", () => {
    expect(count(1234567)).toBe("1,234,567");
    expect(measure(384763.9589, 6)).toBe("384,764");
  });
  it("keeps significant digits", () => {
    expect(measure(0.012345)).toBe("0.01235");
    expect(measure(25.4)).toBe("25.4");
    expect(measure(60176, 2)).toBe("60,000");
    expect(measure(999.96)).toBe("1,000");
    expect(measure(1.002e-3)).toBe("0.001002");
  });
  it("writes very large and very small numbers with a power", () => {
    expect(measure(1.5e-9)).toBe("1.5·10⁻⁹");
    expect(measure(2e8)).toBe("2·10⁸");
  });
  it("counts things, one of them or millions", () => {
    expect(counted(1, "patch", "patches")).toBe("1 patch");
    expect(counted(0, "patch", "patches")).toBe("0 patches");
    expect(counted(126_640, "cell")).toBe("126,640 cells");
    expect(counted(9_967_008, "cell")).toBe("9.97 M cells");
  });
  it("tells durations and sizes", () => {
    expect(duration(75)).toBe("1 min");
    expect(bytes(23_760_072)).toBe("23.8 MB");
    expect(bytes(987)).toBe("987 B");
  });
});

/** A picture of the view at a chosen size: what is drawn, on paper, with scale and colours beside. */
import { measure } from "../parts/numbers";

export interface Legend {
  title: string;
  colours: string[];
  least: string;
  most: string;
}

export interface Sheet {
  width: number;
  height: number;
  paper: string;
  ink: string;
  /** model units per pixel of the picture */
  unitsPerPixel: number;
  unit: string;
  legend: Legend | null;
}

/** A round length, 1, 2 or 5 times a power of ten, no longer than `rough`. */
export function niceLength(rough: number): number {
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [5, 2, 1].find((s) => s * power <= rough) ?? 1;
  return step * power;
}

/** Put what was drawn on paper, with a scale bar and the colours' meaning at the bottom. */
export function composed(drawn: CanvasImageSource, sheet: Sheet): HTMLCanvasElement {
  const out = document.createElement("canvas");
  out.width = sheet.width;
  out.height = sheet.height;
  const pen = out.getContext("2d")!;
  const size = Math.max(11, Math.round(sheet.height / 55));
  pen.fillStyle = sheet.paper;
  pen.fillRect(0, 0, sheet.width, sheet.height);
  pen.drawImage(drawn, 0, 0, sheet.width, sheet.height);
  pen.font = `${size}px "IBM Plex Sans", system-ui, sans-serif`;
  pen.fillStyle = pen.strokeStyle = sheet.ink;
  const length = niceLength(sheet.unitsPerPixel * sheet.width * 0.16);
  const wide = length / sheet.unitsPerPixel;
  const [x, y] = [1.6 * size, sheet.height - 2.4 * size];
  pen.lineWidth = Math.max(1, size / 10);
  pen.beginPath();
  pen.moveTo(x, y - size / 2);
  pen.lineTo(x, y);
  pen.lineTo(x + wide, y);
  pen.lineTo(x + wide, y - size / 2);
  pen.stroke();
  pen.fillText(`${measure(length)} ${sheet.unit}`, x, y + 1.3 * size);
  if (sheet.legend) {
    const { title, colours, least, most } = sheet.legend;
    const long = sheet.width * 0.2;
    const left = sheet.width - long - 1.6 * size;
    const ramp = pen.createLinearGradient(left, 0, left + long, 0);
    colours.forEach((c, k) => {
      ramp.addColorStop(k / Math.max(1, colours.length - 1), c);
    });
    pen.fillText(title, left, y - size);
    pen.fillStyle = ramp;
    pen.fillRect(left, y - 0.6 * size, long, 0.8 * size);
    pen.strokeRect(left, y - 0.6 * size, long, 0.8 * size);
    pen.fillStyle = sheet.ink;
    pen.fillText(least, left, y + 1.3 * size);
    pen.textAlign = "right";
    pen.fillText(most, left + long, y + 1.3 * size);
  }
  return out;
}

/** Save bytes as a file. */
export function save(blob: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

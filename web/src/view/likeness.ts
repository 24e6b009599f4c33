/** The likeness of a large surface in the scene, drawn instead of it while a view moves that lags. */
import * as THREE from "three";
import { coarsened, LIKENESS, Pace } from "./coarse";
import { type SurfaceArrays, surfaceGeometry } from "./geometry";

type Surface = THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial>;

/** How long a view stands still before the whole is drawn again, in ms. */
const STILL = 200;

export class Likeness {
  private made: Surface | null = null;
  private pace = new Pace();
  private settling = 0;

  constructor(
    private scene: THREE.Scene,
    private redraw: () => void,
  ) {}

  /** Draw a frame, of the whole or of the likeness, and take note of how long it took. */
  render(moving: boolean, surface: Surface | null, data: SurfaceArrays | null, frame: () => void) {
    window.clearTimeout(this.settling);
    const begun = performance.now();
    const large = (data?.region.length ?? 0) > 2 * LIKENESS;
    if (moving && this.pace.lags && large && surface?.visible) this.instead(surface, data!, frame);
    else frame();
    requestAnimationFrame(() => this.pace.took(performance.now() - begun, moving));
  }

  private instead(surface: Surface, data: SurfaceArrays, frame: () => void) {
    const shown = this.made ?? this.of(surface, data);
    const lines = surface.material.uniforms.meshLines!;
    const kept = lines.value;
    surface.visible = false;
    shown.visible = true;
    lines.value = 0;
    frame();
    lines.value = kept;
    shown.visible = false;
    surface.visible = true;
    this.settling = window.setTimeout(this.redraw, STILL);
  }

  private of(surface: Surface, data: SurfaceArrays): Surface {
    const walls = surface.geometry.getAttribute("cover").array;
    const cover = Float32Array.from(data.region, (_, t) => walls[3 * t]!);
    const geometry = surfaceGeometry(coarsened({ ...data, cover }), false);
    this.made = new THREE.Mesh(geometry, surface.material);
    this.scene.add(this.made);
    return this.made;
  }

  /** The surface is coloured otherwise: its likeness is made anew when it is next needed. */
  drop() {
    if (!this.made) return;
    this.scene.remove(this.made);
    this.made.geometry.dispose();
    this.made = null;
  }

  /** Another surface: nothing is known of how fast it is drawn. */
  reset() {
    this.drop();
    this.pace.reset();
  }

  dispose() {
    window.clearTimeout(this.settling);
    this.drop();
  }
}

/** The engraving: pale faces, fine lines, hatching that carries meaning. GLSL for WebGL 2. */

export const SURFACE_VERTEX = /* glsl */ `
  attribute float region;
  attribute vec3 bary;
  attribute float cover;
  varying float vCover;
  varying vec3 vNormal;
  varying vec3 vWorld;
  varying vec3 vBary;
  varying float vRegion;
  void main() {
    vNormal = normalize(normalMatrix * normal);
    vWorld = position;
    vBary = bary;
    vRegion = region;
    vCover = cover;
    gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
  }
`;

export const SURFACE_FRAGMENT = /* glsl */ `
  uniform sampler2D regions;
  uniform sampler2D ramp;
  uniform float regionCount;
  uniform float meshLines;
  uniform vec4 plane;
  uniform float clipping;
  uniform float ratio;
  uniform float dark;
  varying vec3 vNormal;
  varying vec3 vWorld;
  varying vec3 vBary;
  varying float vRegion;
  varying float vCover;

  float line(float x, float period, float width) {
    float d = abs(fract(x / period + 0.5) - 0.5) * period;
    return 1.0 - smoothstep(width - 0.6, width + 0.6, d);
  }

  void main() {
    if (clipping > 0.5 && dot(plane.xyz, vWorld) > plane.w) discard;
    float u = (floor(vRegion + 0.5) + 0.5) / regionCount;
    vec4 colour = texture2D(regions, vec2(u, 0.25));
    vec4 state = texture2D(regions, vec2(u, 0.75));
    if (state.r > 0.9) discard;
    bool back = !gl_FrontFacing;
    // enclosing faces are drawn from inside only
    if (state.a < 0.75 && !back) discard;
    vec3 n = normalize(back ? -vNormal : vNormal);
    float light = 0.5 + 0.5 * dot(n, normalize(vec3(-0.35, 0.6, 0.72)));
    // on the dark plate faces are dark and lines bright
    vec3 base = mix(colour.rgb, colour.rgb * 0.3 + 0.02, dark);
    // what stands on the wall, or, from 10 on, a share of the ramp
    if (vCover > 9.5) base = texture2D(ramp, vec2((vCover - 10.0) * 0.996 + 0.002, 0.5)).rgb;
    else if (vCover > 3.5) base = vec3(0.133, 0.416, 0.373);
    else if (vCover > 2.5) base = vec3(0.56, 0.70, 0.67);
    else if (vCover > 1.5) base = vec3(0.74, 0.50, 0.13);
    else if (vCover > 0.5) base = vec3(0.66, 0.17, 0.20);
    vec3 ink = mix(vec3(0.133, 0.149, 0.169), vec3(0.78, 0.76, 0.70), dark);
    vec3 accent = mix(vec3(0.133, 0.416, 0.373), vec3(0.42, 0.75, 0.68), dark);
    vec3 shown = mix(base * vec3(0.80, 0.80, 0.81), base, smoothstep(0.1, 0.95, light));
    if (back && state.a > 0.75) shown = mix(shown, mix(vec3(0.72, 0.69, 0.62), vec3(0.13, 0.14, 0.15), dark), 0.55);
    vec2 at = gl_FragCoord.xy / ratio;
    // engraved shade: lines get closer where it is dark
    float dim = 1.0 - light;
    float shade = line(at.x + at.y, 5.0, 0.35) * smoothstep(0.42, 0.75, dim) * 0.5
                + line(at.x - at.y, 5.0, 0.35) * smoothstep(0.68, 0.9, dim) * 0.5;
    int pattern = int(floor(state.g * 255.0 / 32.0 + 0.5));
    float mark = 0.0;
    if (pattern == 2) mark = line(at.x, 7.0, 0.7) * 0.55;
    if (pattern == 3) mark = line(at.y, 7.0, 0.7) * 0.55;
    if (pattern == 4) mark = line(at.x + at.y, 9.0, 0.6) * step(0.35, fract((at.x - at.y) / 22.0)) * 0.6;
    if (pattern == 5) mark = line(at.x, 12.0, 0.6) * step(0.5, fract(at.y / 10.0)) * 0.6;
    if (pattern == 6) mark = max(line(at.x + at.y, 10.0, 0.5), line(at.x - at.y, 10.0, 0.5)) * 0.4;
    if (pattern == 7) mark = line(at.x, 10.0, 0.6) * line(at.y, 10.0, 0.6);
    shown = mix(shown, ink, max(shade * mix(0.55, 0.12, dark), mark));
    if (meshLines > 0.5) {
      vec3 w = fwidth(vBary);
      vec3 near = smoothstep(vec3(0.0), w * 1.05, vBary);
      float edge = 1.0 - min(near.x, min(near.y, near.z));
      // where triangles are smaller than a few pixels the lines would only darken everything
      float small = clamp(1.35 - 2.0 * max(w.x, max(w.y, w.z)), 0.0, 1.0);
      shown = mix(shown, ink, edge * mix(0.62, 0.5, dark) * small);
    }
    if (state.b > 0.75) shown = mix(shown, accent, 0.62);
    else if (state.b > 0.25) shown = mix(shown, accent, 0.25);
    gl_FragColor = vec4(shown, 1.0);
  }
`;

export const CELL_VERTEX = /* glsl */ `
  attribute float value;
  attribute vec3 bary;
  varying vec3 vNormal;
  varying vec3 vBary;
  varying float vValue;
  void main() {
    vNormal = normalize(normalMatrix * normal);
    vBary = bary;
    vValue = value;
    gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
  }
`;

export const CELL_FRAGMENT = /* glsl */ `
  uniform sampler2D ramp;
  uniform sampler2D kinds;
  uniform float kindCount;
  uniform int how;
  uniform vec2 limits;
  uniform float alpha;
  uniform float dark;
  varying vec3 vNormal;
  varying vec3 vBary;
  varying float vValue;
  void main() {
    vec3 base;
    // a cell without a value is left blank
    if (!(vValue == vValue)) base = mix(vec3(0.98, 0.97, 0.94), vec3(0.12, 0.13, 0.14), dark);
    else if (how == 3) base = vValue < 0.5 ? mix(vec3(0.945, 0.918, 0.84), vec3(0.17, 0.19, 0.21), dark) : mod(vValue, 2.0) > 0.5 ? vec3(0.34, 0.6, 0.56) : vec3(0.62, 0.79, 0.69);
    else if (how == 2) base = texture2D(kinds, vec2((mod(floor(vValue + 0.5), kindCount) + 0.5) / kindCount, 0.5)).rgb;
    else {
      float v = how == 1 ? log(max(vValue, 1e-30)) : vValue;
      vec2 ends = how == 1 ? log(max(limits, vec2(1e-30))) : limits;
      float x = clamp((v - ends.x) / (ends.y - ends.x), 0.0, 1.0);
      base = texture2D(ramp, vec2(x * 0.996 + 0.002, 0.5)).rgb;
    }
    vec3 n = normalize(gl_FrontFacing ? vNormal : -vNormal);
    float light = 0.5 + 0.5 * dot(n, normalize(vec3(-0.35, 0.6, 0.72)));
    vec3 shown = base * mix(0.78, 1.0, light);
    vec3 w = fwidth(vBary);
    vec3 near = smoothstep(vec3(0.0), w * 1.1, vBary);
    float edge = 1.0 - min(near.x, min(near.y, near.z));
    float small = clamp(1.0 - 2.0 * max(w.x, max(w.y, w.z)), 0.0, 1.0);
    // lines on the darkest cells, which are the worst, are pale
    float bright = dot(base, vec3(0.3, 0.59, 0.11));
    vec3 ink = mix(vec3(0.72, 0.76, 0.76), vec3(0.133, 0.149, 0.169), smoothstep(0.2, 0.3, bright));
    gl_FragColor = vec4(mix(shown, ink, edge * 0.75 * small), max(alpha, edge * small * step(alpha, 0.99) * 0.55));
  }
`;

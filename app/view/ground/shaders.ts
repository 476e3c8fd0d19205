import { GRAIN_CODE } from '../../drawing/grain';
import { vec3, WATER } from '../../drawing/palette';
import { DAYLIGHT, GRAIN } from '../light/shaders';

/** Metres that a pixel may show for grain to be seen in it. */
export const GRAIN_PIXEL = 5;

/** What the ground's shaders share: where a place on the ground lies in the height texture, and how high it is. */
const COMMON = /* glsl */ `
precision highp float;
precision highp sampler2D;

const float GRAIN_PIXEL = ${GRAIN_PIXEL.toFixed(1)}; // metres

uniform sampler2D heights;
uniform vec2 samples;      // across, down
uniform vec2 extent;       // metres
uniform float pointSamples; // 1: the outer samples lie on the edge
uniform float middle;      // metres above the datum that become y = 0
uniform float exaggeration;
uniform float sea;         // metres above the datum
uniform sampler2D waters;  // metres of water over the ground; less than 0: the share that lies under a stream

vec2 textureAt(vec2 place) {
  vec2 steps = samples - vec2(pointSamples);
  return (place * steps + 0.5 * pointSamples) / samples;
}

/** Lakes and wide rivers at their own levels, over the ground. */
float lakeAt(vec2 uv) {
  return WATERED ? max(0.0, textureLod(waters, uv, 0.0).r) : 0.0;
}

float heightAt(vec2 place) {
  return textureLod(heights, textureAt(place), 0.0).r;
}
`;

export const GROUND_VERTEX = /* glsl */ `
${COMMON}
uniform mat4 viewMatrix;
uniform mat4 projectionMatrix;
uniform float skirt; // metres

in vec3 position; // x, z in the patch 0..1; y = 1 on the skirt
in vec4 patchAt;  // corner and size, as shares of the ground's width and depth

out vec2 place;
out vec3 world;

void main() {
  place = clamp(patchAt.xy + position.xz * patchAt.zw, 0.0, 1.0);
  float h = heightAt(place) + lakeAt(textureAt(place));
  if (SHOWS_WATER) h = max(h, sea);
  float y = (h - middle) * exaggeration - position.y * skirt;
  vec2 plan = (place - 0.5) * extent;
  world = vec3(plan.x, y, plan.y);
  gl_Position = projectionMatrix * viewMatrix * vec4(world, 1.0);
}
`;

/** Writes down which place of the ground a pixel shows, how high it lies in the view, and how far: light comes later. */
export const GATHER_FRAGMENT = /* glsl */ `
precision highp float;
in vec2 place;
in vec3 world;
out vec4 gathered;

void main() {
  gathered = vec4(place, world.y, gl_FragCoord.z);
}
`;

/** Tiles of the picture. */
export const TILE_VERTEX = /* glsl */ `
uniform vec2 tileSize;  // of the picture's width and height
in vec2 position;       // in tiles, from the left and the foot

void main() {
  gl_Position = vec4(2.0 * position * tileSize - 1.0, 0.0, 1.0);
}
`;

/** Where a fragment of the ground lies: of the triangle that is drawn, or of what was gathered at this pixel. */
const DRAWN = /* glsl */ `
void main() {
  shadeGround();
}
`;
const GATHERED = /* glsl */ `
uniform sampler2D gathered;  // place, height in the view, depth; depth less than 0: nothing is there
uniform vec3 finer;          // places that are gathered for a pixel, across and down; which of them is shown

void main() {
  vec4 found = texelFetch(gathered, ivec2(floor(gl_FragCoord.xy) * finer.x + finer.yz), 0);
  place = found.xy;
  vec2 plan = (place - 0.5) * extent;
  world = vec3(plan.x, found.z, plan.y);
  shadeGround();
  if (found.w < 0.0) discard;
  gl_FragDepth = found.w;
}
`;

/** What the ground is drawn by. */
const GROUND_UNIFORMS = /* glsl */ `
uniform vec2 range;        // lowest and highest, above the datum
uniform sampler2D lights;  // a sample's shares of the sky and of the sun
uniform sampler2D stacks;  // how high the stack of beds lies, metres
uniform sampler2D beds;
uniform vec2 bedsAt;
uniform sampler2D colours;
uniform sampler2D layer;   // 0 to 1 along its colours
uniform sampler2D layerRamp;
uniform float contours;    // metres from line to line; 0: none
uniform vec3 contourInk;
uniform float meshLines;   // samples from line to line; 0: none
uniform vec3 brush;        // east, south, radius in metres; radius 0: none
uniform vec3 brushTwin;    // the same in its mirror
uniform sampler2D ramp;
uniform sampler2D mask;    // where a step acts, 0 to 1

out vec4 colour;
`;

/** Lines and rings on the ground, and a map's shade. */
const DRAWN_ON = /* glsl */ `
float line(float value, float width) {
  float apart = fwidth(value);
  float away = abs(fract(value - 0.5) - 0.5) / max(apart, 1e-6);
  // Where a pixel holds several lines, or its neighbour shows what lies far behind, none can be drawn.
  return (1.0 - smoothstep(width - 0.5, width + 0.5, away)) * (1.0 - smoothstep(1.0, 2.0, apart));
}

/** The brush's footprint, lying on the ground. */
void ringed(inout vec3 shaded, vec3 ring, float strength) {
  if (ring.z <= 0.0) return;
  float r = length(place * extent - ring.xy) / ring.z;
  float apart = fwidth(r);
  float away = abs(r - 1.0) / max(apart, 1e-6) + 8.0 * smoothstep(0.5, 1.0, apart);
  shaded = mix(shaded, vec3(0.98, 0.97, 0.93), (1.0 - smoothstep(1.0, 2.2, away)) * 0.9 * strength);
  shaded = mix(shaded, vec3(0.61, 0.29, 0.14), (1.0 - smoothstep(0.0, 1.0, away)) * 0.9 * strength);
}

/** A map's shade: from four sides between west and north, each as much as the slope looks across it (Mark 1992, "Multidirectional, oblique-weighted, shaded-relief image"). */
float fromFourSides(vec2 gradient) {
  float steep = length(gradient);
  float aspect = atan(-gradient.x, gradient.y);
  vec2 slope = vec2(1.0, steep) / sqrt(1.0 + steep * steep);
  float sum = 0.0;
  float whole = 0.0;
  for (int k = 0; k < 4; k++) {
    float azimuth = radians(225.0 + 45.0 * float(k));
    float across = sin(aspect - azimuth);
    float weight = across * across + 0.05;
    // 30° above the horizon.
    sum += weight * max(0.0, 0.5 * slope.x + 0.866 * slope.y * cos(azimuth - aspect));
    whole += weight;
  }
  return sum / whole;
}
`;

/** What ground is made of, from near. */
const GROUND_GRAIN = /* glsl */ `
/** The share of each grain near a place: turf, scree, rock, sand, snow; by the cover's rules where they are known, else by slope. */
void grainsAt(vec3 at, vec2 uv, float steep, out vec4 kinds, out float snow) {
  float rock = smoothstep(0.10, 0.30, steep);
  kinds = vec4(1.0 - rock, 0.0, rock, 0.0);
  snow = 0.0;
  if (DRAPE == 3) {
    // Ragged, so that its samples' squares do not show.
    vec2 away = vec2(valueNoise(at / 2.3), valueNoise(at.zxy / 2.3)) + 0.5 * vec2(valueNoise(at / 0.6), valueNoise(at.zxy / 0.6)) - 0.75;
    ivec2 place2 = ivec2(clamp(uv * samples + 1.1 * away, vec2(0.0), samples - 1.0));
    float kind = floor(texelFetch(colours, place2, 0).a * ${(255 / GRAIN_CODE).toFixed(4)} + 0.5);
    // A colour that says no kind is by slope.
    if (kind > 5.5) return;
    kinds = vec4(kind < 0.5 ? 1.0 : 0.0, kind > 0.5 && kind < 1.5 ? 1.0 : 0.0, kind > 1.5 && kind < 2.5 ? 1.0 : 0.0, kind > 2.5 && kind < 3.5 ? 1.0 : 0.0);
    snow = kind > 3.5 && kind < 4.5 ? 1.0 : 0.0;
  }
}

/** What the ground is made of, seen from near: its colour, and how its surface leans. */
void addGrain(inout vec3 albedo, inout vec3 normal, vec3 at, float h, vec2 uv, float steep, float pixel) {
  vec4 kinds;
  float snow;
  grainsAt(at, uv, steep, kinds, snow);
  float coarse = grainOf(at, pixel, 12.0);
  float fine = grainOf(at * vec3(1.0, 1.6, 1.0), pixel, 1.9);
  float body = kinds.x * (0.55 * coarse + 0.7 * fine) + snow * 0.12 * coarse;
  float bumpy = kinds.x + kinds.y + kinds.z + 0.5 * kinds.w + 0.3 * snow;
  if (kinds.z > 0.0) {
    float stack = BEDDED ? textureLod(stacks, place, 0.0).r : 0.0;
    float bed = (h - stack) / 1.7 + 0.6 * coarse;
    float seen = 1.0 - smoothstep(0.4, 1.2, pixel);
    float ledges = seen * (valueNoise(vec3(0.0, bed, 0.0)) - 0.5);
    if (BEDDED) ledges += 0.25 * seen * (texture(beds, vec2((h - stack - bedsAt.x) * bedsAt.y, 0.5)).r - 0.5);
    body += kinds.z * (0.5 * coarse + 0.45 * fine + 0.8 * ledges);
  }
  if (kinds.y > 0.0) {
    // Stones with dark between them, of a hand's breadth to a metre.
    float stones = abs(valueNoise(at / 0.9) - 0.5) + 0.6 * abs(valueNoise(at / 0.37 + 7.0) - 0.5);
    float seen = 1.0 - smoothstep(0.15, 0.6, pixel);
    body += kinds.y * (0.25 * coarse + 0.3 * fine + seen * (1.5 * stones - 0.55));
  }
  if (kinds.w > 0.0) {
    // Ripples across the slope of the wind, a hand's breadth apart, bent by noise.
    float wave = sin((at.x * 0.8 + at.z * 0.6) * 21.0 + 9.0 * valueNoise(at / 1.7) + 5.0 * coarse);
    body += kinds.w * (0.18 * coarse + 0.12 * fine + 0.09 * wave * (1.0 - smoothstep(0.03, 0.12, pixel)));
  }
  albedo *= clamp(1.0 + 0.85 * body, 0.35, 1.7);
  // Turf and moss between stones.
  albedo = mix(albedo, albedo * vec3(0.94, 1.05, 0.88), kinds.x * clamp(2.0 * coarse, 0.0, 1.0));
  vec3 lean = vec3(dFdx(body), 0.0, dFdy(body));
  vec3 across = normalize(dFdx(at));
  vec3 along = normalize(dFdy(at));
  normal = normalize(normal - (across * lean.x + along * lean.z) * (0.25 / max(pixel, 0.02)) * (1.0 - smoothstep(0.6, 2.0, pixel)) * 0.35 * bumpy);
}
`;

/** A place's colour, from its height to the last line over it. */
const SHADE_GROUND = /* glsl */ `
/** Under the sun and the sky: what falls on it, with what its surroundings throw back. */
vec3 inDaylight(vec3 albedo, vec3 normal, vec2 shares) {
  float lit = max(dot(normal, sun), 0.0) * shares.y;
  vec3 bounce = albedo * (1.0 - shares.x) * (0.5 * skyLight + 0.4 * sunLight * max(sun.y, 0.0));
  return albedo * (sunLight * lit + skyLight * shares.x + bounce);
}

void shadeGround() {
  vec2 uv = textureAt(place);
  float h = textureLod(heights, uv, 0.0).r;
  vec2 steps = samples - vec2(pointSamples);
  vec2 spacing = extent / max(steps, vec2(1.0));
  vec2 texel = 1.0 / samples;
  float e = textureLod(heights, uv + vec2(texel.x, 0.0), 0.0).r;
  float w = textureLod(heights, uv - vec2(texel.x, 0.0), 0.0).r;
  float s = textureLod(heights, uv + vec2(0.0, texel.y), 0.0).r;
  float n = textureLod(heights, uv - vec2(0.0, texel.y), 0.0).r;
  vec2 gradient = vec2(e - w, s - n) / (2.0 * spacing);
  vec3 normal = normalize(vec3(-gradient.x * exaggeration, 1.0, -gradient.y * exaggeration));
  float steep = 1.0 - 1.0 / sqrt(1.0 + dot(gradient, gradient));

  // Sun, a weak light from the other side, and more sky where the ground looks up.
  float lit = max(dot(normal, sun), 0.0);
  float back = max(dot(normal, normalize(vec3(-sun.x, sun.y * 0.6, -sun.z))), 0.0);
  float sky = 0.5 + 0.5 * normal.y;
  float light = 0.70 * lit + 0.12 * back + 0.30 * sky * sky;
  if (PLAN) light = mix(1.35 * fromFourSides(gradient * exaggeration), light, 0.35);

  vec3 base;
  if (DRAPE == 0) {
    float t = clamp((h - range.x) / max(range.y - range.x, 1e-3), 0.0, 1.0);
    base = texture(ramp, vec2(t, 0.5)).rgb;
    // Bare rock shows where soil cannot lie.
    float rock = smoothstep(0.10, 0.26, steep);
    base = mix(base, vec3(0.53, 0.51, 0.48) * (0.8 + 0.4 * t), rock * 0.7);
  } else if (DRAPE == 1) {
    base = vec3(0.86, 0.85, 0.82);
  } else if (DRAPE == 2) {
    base = texture(layerRamp, vec2(texture(layer, uv).r, 0.5)).rgb;
  } else {
    base = texture(colours, uv).rgb;
  }
  vec3 shaded = DRAPE == 4 ? base : base * (0.20 + 1.10 * light);
  // Until the horizons have been found the sky is what the slope lets be guessed, and nothing casts a shadow.
  vec2 shares = LIGHTED ? texture(lights, uv).rg : vec2(sky, 1.0);
  vec3 albedo = fromScreen(base);
  if (DAY) {
    if (SHOWS_GRAIN) {
      float pixel = sqrt(length(dFdx(world)) * length(dFdy(world)));
      if (pixel < GRAIN_PIXEL) addGrain(albedo, normal, vec3(world.x, h, world.z), h, uv, steep, pixel);
    }
    shaded = inDaylight(albedo, normal, shares);
  }

  if (contours > 0.0) {
    float thin = line(h / contours, 0.55);
    float thick = line(h / (contours * 5.0), 0.8);
    float apart = fwidth(h / contours);
    float fine = thin * (1.0 - smoothstep(0.25, 0.6, apart));
    float bold = thick * (1.0 - smoothstep(1.2, 3.0, apart));
    shaded = mix(shaded, DAY ? vec3(0.14, 0.03, 0.006) : contourInk, max(fine * 0.42, bold * 0.72));
  }
  float lies = WATERED ? texture(waters, uv).r : 0.0;
  if (SHOWS_WATER && lies < 0.0 && h >= sea) {
    vec3 beck = DAY ? fromScreen(${vec3(WATER.flat)}) * (0.8 * skyLight + 0.3 * sunLight * shares.y) : ${vec3(WATER.flat)} * (0.55 + 0.5 * sun.y);
    shaded = mix(shaded, beck, clamp((DAY ? -3.0 : -1.4) * lies, 0.0, 0.9));
  }
  float depth = max(sea - h, max(0.0, lies));
  bool wet = WET && (h < sea || lies > 0.03);
  if (DAY && wet) {
    vec3 look = normalize(eye - world);
    // A little wind on it, seen from near only.
    float pixel = max(length(dFdx(world.xz)), length(dFdy(world.xz)));
    vec3 wave = vec3(grainOf(vec3(world.xz, 7.0), pixel, 9.0), 0.0, grainOf(vec3(world.zx, 3.0), pixel, 8.0));
    vec3 up = normalize(vec3(0.0, 1.0, 0.0) + 0.12 * wave);
    float thrown = fresnel(max(dot(up, look), 0.0));
    vec3 mirrored = reflect(-look, up);
    vec3 back = skyIn(vec3(mirrored.x, abs(mirrored.y), mirrored.z));
    back += sunLight * shares.y * 6.0 * pow(max(dot(mirrored, sun), 0.0), 900.0);
    vec3 left = exp(-2.0 * ABSORPTION * depth);
    vec3 body = vec3(0.014, 0.048, 0.058) * (sunLight * max(sun.y, 0.0) * shares.y + skyLight);
    shaded = mix(shaded * left + body * (1.0 - left), back, thrown);
  }
  if (!DAY && wet) {
    vec3 shallow = ${vec3(WATER.shallow)};
    vec3 deep = ${vec3(WATER.deep)};
    vec3 body = mix(shallow, deep, 1.0 - exp(-depth / 18.0));
    shaded = mix(shaded, body * (0.72 + 0.35 * sun.y), 0.55 + 0.45 * (1.0 - exp(-depth / 4.0)));
  }
  if (DAY) shaded = throughAir(shaded, world);
  if (PASS > 0) {
    colour = vec4(PASS == 1 ? vec3(length(world - eye)) : PASS == 2 ? vec3(normal.x, normal.y, normal.z) : PASS == 3 ? fromScreen(base) : DAY ? shaded : fromScreen(shaded), 1.0);
    return;
  }
  if (DAY) shaded = toScreen(shaded);
  if (MASKED) {
    // Where the step acts is inked over; where it does not, the ground pales.
    float weight = texture(mask, uv).r;
    float grey = dot(shaded, vec3(0.35, 0.5, 0.15));
    shaded = mix(mix(vec3(grey), vec3(0.88), 0.35), mix(shaded, vec3(0.42, 0.16, 0.50) * (0.45 + grey), 0.72), weight);
  }
  if (meshLines > 0.0) {
    vec2 at = place * steps / meshLines;
    shaded = mix(shaded, vec3(0.13, 0.16, 0.17), max(line(at.x, 0.5), line(at.y, 0.5)) * 0.5);
  }
  ringed(shaded, brush, 1.0);
  ringed(shaded, brushTwin, 0.6);
  // Skirts take the colour of the ground they hang from, so that they do not show.
  colour = vec4(DAY ? shaded : pow(clamp(shaded, 0.0, 1.0), vec3(1.0 / 1.1)), 1.0);
}
`;

/** The ground's shader for triangles that are shaded as they are drawn, or for places that were gathered before. */
export const groundFragment = (gathered: boolean) => /* glsl */ `
${COMMON}
${gathered ? 'vec2 place;\nvec3 world;' : 'in vec2 place;\nin vec3 world;'}
${DAYLIGHT}
${GRAIN}
${GROUND_UNIFORMS}
${DRAWN_ON}
${GROUND_GRAIN}
${SHADE_GROUND}
${gathered ? GATHERED : DRAWN}
`;

export const WALL_VERTEX = /* glsl */ `
${COMMON}
uniform mat4 viewMatrix;
uniform mat4 projectionMatrix;
uniform float floorLevel; // metres above the datum

in vec3 position; // place on the rim, and 1 at the top
in float stack;   // how high the stack of beds lies there
out float level;
out float under;
out float top;
out float facing;
out vec3 world;
out float light;
uniform vec3 sun;

void main() {
  float h = heightAt(position.xy) + lakeAt(textureAt(position.xy));
  if (SHOWS_WATER) h = max(h, sea);
  level = mix(floorLevel, h, position.z);
  top = h;
  under = stack;
  facing = abs(position.x - 0.5) > abs(position.y - 0.5) ? 1.0 : 0.0;
  // A hand's breadth outside of the ground, so that the skirts of its patches stay hidden.
  vec2 plan = (position.xy - 0.5) * extent * 1.0006;
  world = vec3(plan.x, (level - middle) * exaggeration, plan.y);
  vec2 side = position.xy - 0.5;
  vec3 outward = facing > 0.5 ? vec3(sign(side.x), 0.0, 0.0) : vec3(0.0, 0.0, sign(side.y));
  light = max(dot(outward, sun), 0.0);
  gl_Position = projectionMatrix * viewMatrix * vec4(world, 1.0);
}
`;

export const WALL_FRAGMENT = /* glsl */ `
precision highp float;
${DAYLIGHT}
in vec3 world;
in float light;
uniform float interval;
uniform sampler2D beds;    // how hard the beds are, up the stack
uniform vec2 bedsAt;       // the stack's lowest entry, and one over its height
in float level;
in float under;
in float top;
in float facing;
out vec4 colour;

void main() {
  // The cut through the ground, with a line at every round height.
  float v = level / interval;
  float away = abs(fract(v - 0.5) - 0.5) / max(fwidth(v), 1e-6);
  float mark = (1.0 - smoothstep(0.3, 1.2, away)) * (1.0 - smoothstep(0.2, 0.5, fwidth(v)));
  float below = clamp((top - level) / (interval * 0.5), 0.0, 1.0);
  vec3 earth = mix(vec3(0.40, 0.36, 0.30), vec3(0.62, 0.58, 0.52), below) * (0.88 + 0.12 * facing);
  if (BEDDED) {
    float hard = texture(beds, vec2((level - under - bedsAt.x) * bedsAt.y, 0.5)).r;
    vec3 soft = ${vec3([216, 201, 164])};
    earth = mix(mix(soft, ${vec3([75, 68, 61])}, hard), earth, 0.18) * (0.86 + 0.14 * facing);
    mark *= 0.35;
  }
  earth = mix(earth, vec3(0.45, 0.40, 0.34), mark * 0.45);
  vec3 lit = DAY ? throughAir(fromScreen(earth) * (0.55 * skyLight + 0.75 * sunLight * light), world) : fromScreen(earth);
  if (PASS > 0) {
    colour = vec4(PASS == 1 ? vec3(length(world - eye)) : PASS == 2 ? normalize(cross(dFdx(world), dFdy(world))) : PASS == 3 ? fromScreen(earth) : lit, 1.0);
    return;
  }
  if (DAY) earth = toScreen(lit);
  colour = vec4(earth, 1.0);
}
`;

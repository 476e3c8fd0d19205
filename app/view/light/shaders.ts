import { WATER_ABSORPTION } from '../../drawing/sky';

const vec = (of: readonly number[]) => `vec3(${of.map((v) => v.toFixed(4)).join(', ')})`;

/** Daylight for the shaders of ground and sky; the same formulas as in `sky.ts`. Light is in the unit of the exposure: 1 is what white level ground gives back. */
export const DAYLIGHT = /* glsl */ `
uniform vec3 perezY[2];    // the five numbers of brightness: a, b, c and d, e, –
uniform vec3 perezX[2];
uniform vec3 perezZ[2];    // of the colour's y
uniform vec3 zenith;       // Y, x, y over Perez' function there
uniform vec3 sun;          // direction towards it: east, up, south
uniform vec3 sunLight;     // on what faces it
uniform vec3 skyLight;     // on level open ground
uniform vec3 towards;      // the horizon towards the sun, and away from it
uniform vec3 away;
uniform vec3 balance;      // what the eye makes of the light's tint
uniform float exposure;    // thousand candela a square metre to the screen
uniform float air;         // what of the light a metre of air takes, at the lowest ground
uniform vec3 eye;          // metres, in the view's space

float perez(vec3 m, vec3 n, float cosZenith, float gamma, float cosGamma) {
  return (1.0 + m.x * exp(m.y / max(cosZenith, 0.01))) * (1.0 + m.z * exp(n.x * gamma) + n.y * cosGamma * cosGamma);
}

vec3 rgbOfYxy(vec3 c) {
  float X = (c.y / c.z) * c.x;
  float Z = ((1.0 - c.y - c.z) / c.z) * c.x;
  return max(vec3(3.2406 * X - 1.5372 * c.x - 0.4986 * Z, -0.9689 * X + 1.8758 * c.x + 0.0415 * Z, 0.0557 * X - 0.2040 * c.x + 1.0570 * Z), 0.0);
}

/** The sky in a direction, under the exposure. */
vec3 skyIn(vec3 direction) {
  float up = max(direction.y, 0.0);
  float cosGamma = clamp(dot(normalize(vec3(direction.x, up, direction.z)), sun), -1.0, 1.0);
  float gamma = acos(cosGamma);
  vec3 c = zenith * vec3(perez(perezY[0], perezY[1], up, gamma, cosGamma), perez(perezX[0], perezX[1], up, gamma, cosGamma), perez(perezZ[0], perezZ[1], up, gamma, cosGamma));
  vec3 seen = rgbOfYxy(c) * exposure * balance;
  float calm = 0.55 * exp(-9.0 * up);
  return mix(seen, vec3(dot(seen, vec3(0.2126, 0.7152, 0.0722))), calm);
}

/** What the air between takes, and what it gives: denser lower down, by a scale height of 1.2 km. */
vec3 throughAir(vec3 shaded, vec3 place) {
  if (air <= 0.0) return shaded;
  vec3 way = place - eye;
  float far = length(way);
  float high = clamp(0.5 * (place.y + eye.y), -3000.0, 9000.0);
  float left = exp(-air * far * exp(-max(high, 0.0) / 1200.0));
  vec2 flat2 = normalize(way.xz + vec2(1e-6));
  float along = 0.5 + 0.5 * dot(flat2, normalize(sun.xz + vec2(1e-6)));
  return mix(mix(away, towards, along * along), shaded, left);
}

/** Brightness to the screen: the neutral tone mapper of the Khronos Group (2024), then sRGB. Data never comes through here. */
vec3 toScreen(vec3 c) {
  const float start = 0.76;
  const float desaturation = 0.15;
  float x = min(c.r, min(c.g, c.b));
  float offset = x < 0.08 ? x - 6.25 * x * x : 0.04;
  c -= offset;
  float peak = max(c.r, max(c.g, c.b));
  if (peak >= start) {
    float d = 1.0 - start;
    float newPeak = 1.0 - d * d / (peak + d - start);
    c *= newPeak / peak;
    float g = 1.0 - 1.0 / (desaturation * (peak - newPeak) + 1.0);
    c = mix(c, vec3(newPeak), g);
  }
  c = clamp(c, 0.0, 1.0);
  return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, c));
}

/** Colours of drapes are those of the screen. */
vec3 fromScreen(vec3 c) {
  return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(0.04045, c));
}

/** What water throws back of a look along its normal by a cosine (Fresnel, index 1.333). */
float fresnel(float c) {
  float g = sqrt(0.776889 + c * c);
  float a = (g - c) / (g + c);
  float b = (c * (g + c) - 1.0) / (c * (g - c) + 1.0);
  return 0.5 * a * a * (1.0 + b * b);
}

const vec3 ABSORPTION = ${vec(WATER_ABSORPTION)};
`;

/** Noise for grain and waves: a hash of whole places, smooth between them. */
export const GRAIN = /* glsl */ `
float hash(vec3 p) {
  p = fract(p * vec3(0.1031, 0.1030, 0.0973));
  p += dot(p, p.yxz + 33.33);
  return fract((p.x + p.y) * p.z);
}

float valueNoise(vec3 p) {
  vec3 i = floor(p);
  vec3 f = fract(p);
  f = f * f * (3.0 - 2.0 * f);
  return mix(
    mix(mix(hash(i), hash(i + vec3(1, 0, 0)), f.x), mix(hash(i + vec3(0, 1, 0)), hash(i + vec3(1, 1, 0)), f.x), f.y),
    mix(mix(hash(i + vec3(0, 0, 1)), hash(i + vec3(1, 0, 1)), f.x), mix(hash(i + vec3(0, 1, 1)), hash(i + vec3(1, 1, 1)), f.x), f.y),
    f.z);
}

/** Four sizes of noise that fade as a pixel grows over them, −0.5 to 0.5. */
float grainOf(vec3 p, float pixel, float size) {
  float sum = 0.0;
  float weight = 0.5;
  for (int k = 0; k < 4; k++) {
    float seen = 1.0 - smoothstep(0.15, 0.45, pixel / size);
    if (seen > 0.0) sum += weight * seen * (valueNoise(p / size) - 0.5);
    size *= 0.37;
    weight *= 0.8;
  }
  return sum;
}
`;

export const SKY_VERTEX = /* glsl */ `
precision highp float;
uniform mat4 fromClip;     // from the screen to directions
in vec3 position;
out vec3 look;

void main() {
  vec4 far = fromClip * vec4(position.xy, 1.0, 1.0);
  vec4 near = fromClip * vec4(position.xy, -1.0, 1.0);
  look = far.xyz / far.w - near.xyz / near.w;
  gl_Position = vec4(position.xy, 1.0, 1.0);
}
`;

export const SKY_FRAGMENT = /* glsl */ `
precision highp float;
${DAYLIGHT}
in vec3 look;
out vec4 colour;

void main() {
  vec3 direction = normalize(look);
  vec3 shaded = skyIn(direction);
  // The sun's disc, as wide as it is.
  float cosGamma = dot(direction, sun);
  shaded += sunLight * smoothstep(0.99998, 0.999995, cosGamma) * 4.0;
  // Under the horizon lies haze, and then nothing.
  float under = smoothstep(0.0, 0.22, -direction.y);
  float along = 0.5 + 0.5 * dot(normalize(direction.xz + vec2(1e-6)), normalize(sun.xz + vec2(1e-6)));
  shaded = mix(shaded, mix(away, towards, along * along) * 0.82 + 0.06, smoothstep(0.0, 0.02, -direction.y));
  if (PASS == 4) {
    colour = vec4(shaded, 1.0);
    return;
  }
  // What lies around the block is nothing, in a grey that tones are judged against.
  colour = vec4(mix(toScreen(shaded), vec3(0.745, 0.757, 0.753), under), 1.0);
}
`;

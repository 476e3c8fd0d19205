import { Vector3 } from 'three';
import { daylight, skyModel, type Rgb } from '../../drawing/sky';

/** How a day lights the ground. */
export interface DaySettings {
  /** Degrees clockwise from north, and above the horizon. */
  sun: number;
  sunHeight: number;
  /** Preetham's turbidity. */
  turbidity: number;
  /** How thick the air is: 1 is a clear day, on which one sees a hundred kilometres or so; 0: none. */
  haze: number;
}

/** What of the light a metre of air takes on a clear day. */
const AIR = 2.4e-5;
/** What white level ground comes to on the screen, before tones are bent. */
const BRIGHTNESS = 1.3;
/** How far an eye gets used to the light's tint. */
const ADAPTED = 0.75;
const bright = ([r, g, b]: Rgb) => 0.2126 * r + 0.7152 * g + 0.0722 * b;

/** What the shaders' daylight is given. */
export const dayUniforms = () => ({
  perezY: { value: [new Vector3(), new Vector3()] },
  perezX: { value: [new Vector3(), new Vector3()] },
  perezZ: { value: [new Vector3(), new Vector3()] },
  zenith: { value: new Vector3() },
  sunLight: { value: new Vector3() },
  skyLight: { value: new Vector3() },
  towards: { value: new Vector3() },
  away: { value: new Vector3() },
  exposure: { value: 1 },
  balance: { value: new Vector3(1, 1, 1) },
  air: { value: 0 },
  eye: { value: new Vector3() },
});

export type DayUniforms = ReturnType<typeof dayUniforms>;

/** Sets the daylight: sun, sky and air, exposed so that level ground is as bright at every hour. */
export function setDay(u: DayUniforms, { sun, sunHeight, turbidity, haze }: DaySettings): void {
  const settings = { azimuth: sun, altitude: sunHeight, turbidity };
  const model = skyModel(settings);
  const light = daylight(settings);
  const level = bright(light.sun) * Math.max(0.2, Math.sin((sunHeight * Math.PI) / 180)) + bright(light.sky);
  const scale = BRIGHTNESS / Math.max(0.5, level);
  // An eye takes most of the light's own tint for white.
  const whole = light.sun.map((part, c) => part * Math.max(0.2, Math.sin((sunHeight * Math.PI) / 180)) + light.sky[c]) as Rgb;
  const balance = whole.map((part) => (bright(whole) / Math.max(1e-3, part)) ** ADAPTED) as Rgb;
  const seen = (of: Rgb, by: number) => of.map((part, c) => part * balance[c] * by) as Rgb;
  // The model is too red along the horizon.
  const calm = (of: Rgb) => of.map((part) => part + 0.55 * (bright(of) - part)) as Rgb;
  for (const [to, [a, b, c, d, e]] of [
    [u.perezY, model.perez.Y],
    [u.perezX, model.perez.x],
    [u.perezZ, model.perez.y],
  ] as const) {
    to.value[0].set(a, b, c);
    to.value[1].set(d, e, 0);
  }
  u.zenith.value.set(model.zenith[0] * model.strength, model.zenith[1], model.zenith[2]);
  u.sunLight.value.set(...seen(light.sun, scale));
  u.skyLight.value.set(...seen(light.sky, scale));
  u.exposure.value = Math.PI * scale;
  u.towards.value.set(...calm(seen(light.towards, Math.PI * scale)));
  u.away.value.set(...calm(seen(light.away, Math.PI * scale)));
  u.balance.value.set(...balance);
  u.air.value = AIR * haze;
}

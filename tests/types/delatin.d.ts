/** The part of the registry's delatin that benches and checks use. */
declare module 'delatin' {
  export default class Delatin {
    constructor(data: ArrayLike<number>, width: number, height?: number);
    triangles: number[];
    run(maxError?: number): void;
    getMaxError(): number;
  }
}

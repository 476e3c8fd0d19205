/** Rise over run up to which a weather step may leave a sample standing alone beside its neighbours, by its own settings. */
export function steepTo(step: string, params: Record<string, unknown>): number {
  const tan = (degrees: unknown) => Math.tan((Number(degrees) * Math.PI) / 180);
  if (step === 'fluvial') return 1.8 * tan(params.bank);
  if (step === 'runoff') return tan(params.bank);
  if (step === 'wind') return tan(params.repose);
  if (step === 'talus' || step === 'settle') return tan(params.repose);
  if (step === 'glacier') return 1.8 * tan(params.wall);
  if (step === 'drain') return Number(params.amount);
  return tan(Math.max(Number(params.beach), Number(params.bench)));
}

import type { SampleType } from '@upland-cast/core';

export const TYPE_NAMES: Record<SampleType, string> = {
  u8: '8-bit',
  u16: '16-bit',
  s16: '16-bit signed',
  u24: '24-bit over colour',
  u32: '32-bit',
  s32: '32-bit signed',
  f32: '32-bit float',
  f64: '64-bit float',
};

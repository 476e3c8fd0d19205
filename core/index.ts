import './zod-jitless';

export * from './exports/base';
export * from './exports/kernels';
export * from './exports/field';
export * from './exports/formats';
export * from './exports/analysis';
export * from './exports/rock';
export * from './exports/masks';
export * from './exports/steps';
export * from './exports/course';
export * from './exports/inspect';
export * from './exports/survey';
export * from './exports/mesh';
export * from './exports/delivery';
export * from './exports/world';

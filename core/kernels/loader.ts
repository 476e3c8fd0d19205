import { PLAIN, SHARED } from './generated/binaries';
import type { KernelExports } from './generated/exports';

export type Build = 'plain' | 'shared';

const compiled: Partial<Record<Build, WebAssembly.Module>> = {};

/** The compiled module of a build; compiled once. */
export function kernelModule(build: Build): WebAssembly.Module {
  return (compiled[build] ??= new WebAssembly.Module(bytesOf(build === 'plain' ? PLAIN : SHARED)));
}

/** The kernels over `memory`. */
export function instantiate(build: Build, memory: WebAssembly.Memory): KernelExports {
  const imports = {
    env: {
      memory,
      abort: () => {
        throw new Error('A kernel gave up.');
      },
    },
  };
  return new WebAssembly.Instance(kernelModule(build), imports).exports as unknown as KernelExports;
}

function bytesOf(base64: string): Uint8Array<ArrayBuffer> {
  const text = atob(base64);
  const bytes = new Uint8Array(text.length);
  for (let i = 0; i < text.length; i++) bytes[i] = text.charCodeAt(i);
  return bytes;
}

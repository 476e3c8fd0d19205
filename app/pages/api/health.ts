import { KERNEL_VERSION, steps } from '@upland-cast/core';
import type { APIRoute } from 'astro';

export const prerender = false;

/** Whether the server answers, and which kernels it has. */
export const GET: APIRoute = () => Response.json({ ok: true, kernels: KERNEL_VERSION, steps: steps.length });

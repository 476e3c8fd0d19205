/** What of a request is looked at. */
export interface Asked {
  method?: string;
  url?: string;
  headers: Record<string, string | undefined>;
}

export interface Refusal {
  status: number;
  code: string;
  sentence: string;
  headers?: Record<string, string>;
}

export function allowedHosts(port: number, host: string, extra?: string): Set<string>;
export function refusedBy(request: Asked, hosts: Set<string>): Refusal | undefined;
export function pathOf(request: { url?: string }): string | undefined;
export function policies(folder: string): (path: string) => string;

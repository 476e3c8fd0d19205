import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { Page } from 'playwright-core';

const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

interface Axe {
  axe: { run(within: object, options: object): Promise<{ violations: { id: string; nodes: { html: string }[] }[] }> };
}

/** What axe finds against WCAG 2.2 AA on the page as it stands, or in a part of it: the rule, and where. */
export async function axeViolations(page: Page, within = ':root'): Promise<string[]> {
  if (!(await page.evaluate(() => 'axe' in window))) await page.evaluate(axe);
  const { violations } = await page.evaluate(
    (part) =>
      (window as unknown as Axe).axe.run(document.querySelector(part)!, {
        resultTypes: ['violations'],
        runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'],
      }),
    within,
  );
  return violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 160)).join(' | ')}`);
}

import { Command } from 'commander';
import { paramsOf, steps } from '@upland-cast/core';

export function stepsCommand(): Command {
  return new Command('steps')
    .description('Every step with its settings, units and bounds.')
    .option('--json', 'print JSON')
    .action(({ json }: { json?: boolean }) => {
      const list = steps.map((step) => ({
        id: step.id,
        title: step.title,
        family: step.family,
        summary: step.summary,
        joins: step.joins,
        params: paramsOf(step.params)
          .filter(({ meta }) => meta.kind !== 'hidden')
          .map(({ key, meta, value }) => ({
            key,
            label: meta.label,
            kind: meta.kind,
            unit: meta.unit,
            default: value,
            min: meta.min,
            max: meta.max,
            choices: meta.choices && Object.keys(meta.choices),
            help: meta.help,
          })),
      }));
      if (json) {
        process.stdout.write(`${JSON.stringify(list)}\n`);
        return;
      }
      for (const step of list) {
        process.stdout.write(`${step.id}: ${step.summary}\n`);
        for (const p of step.params) {
          const bounds = p.choices ? p.choices.join(' | ') : p.min !== undefined ? `${p.min} … ${p.max}${p.unit ? ` ${p.unit}` : ''}` : '';
          process.stdout.write(`    ${p.key.padEnd(12)} ${String(p.default).padEnd(10)} ${bounds}\n`);
        }
      }
    });
}

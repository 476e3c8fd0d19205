// The types of what the compiled kernels export, read off their sources: no signature is written twice.
import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';

/** How JavaScript sees a type of AssemblyScript. */
const SEEN = { void: 'void', i64: 'bigint', u64: 'bigint' };

/** An interface with every function that `index.ts` exports, from the sources in `folder`. */
export function kernelTypes(folder) {
  const files = readdirSync(folder, { recursive: true })
    .filter((file) => file.endsWith('.ts'))
    .map((file) => ts.createSourceFile(file, readFileSync(join(folder, file), 'utf8'), ts.ScriptTarget.Latest, true));
  const functions = new Map();
  for (const file of files) {
    for (const statement of file.statements) {
      if (ts.isFunctionDeclaration(statement) && statement.name && statement.modifiers?.some((m) => m.kind === ts.SyntaxKind.ExportKeyword))
        functions.set(statement.name.text, statement);
    }
  }
  const index = files.find((file) => file.fileName === 'index.ts');
  const exported = index.statements.flatMap((statement) => {
    if (ts.isExportDeclaration(statement)) return statement.exportClause.elements.map((e) => e.name.text);
    return ts.isFunctionDeclaration(statement) ? [statement.name.text] : [];
  });
  const seen = (type) => SEEN[type.getText()] ?? 'number';
  const lines = exported.map((name) => {
    const found = functions.get(name);
    if (!found) throw new Error(`The kernel ${name} is exported, and no source has it.`);
    return `  ${name}(${found.parameters.map((p) => `${p.name.getText()}: ${seen(p.type)}`).join(', ')}): ${seen(found.type)};`;
  });
  return (
    '// Made by scripts/kernel-types.mjs from core/kernels/assembly.\n\n' +
    '/** What the compiled kernels export; pointers are byte offsets into their memory. */\n' +
    `export interface KernelExports {\n${lines.join('\n')}\n}\n`
  );
}

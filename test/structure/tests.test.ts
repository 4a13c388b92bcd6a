import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import ts from 'typescript';
import { expect, it } from 'vitest';

const root = path.join(import.meta.dirname, '../..');

const setters = /^(?:it|test|describe|itWith|before(?:All|Each)|after(?:All|Each))\b/;

/** Tests and hooks that end with a number: a time limit that a busy machine exceeds. */
function ownTimeLimits(file: string, text: string): string[] {
  const source = ts.createSourceFile(file, text, ts.ScriptTarget.Latest, true);
  const found: string[] = [];
  const walk = (node: ts.Node): void => {
    ts.forEachChild(node, walk);
    if (!ts.isCallExpression(node)) return;
    const last = node.arguments.at(-1);
    if (last !== undefined && ts.isNumericLiteral(last) && setters.test(node.expression.getText(source)))
      found.push(`${file}:${source.getLineAndCharacterOfPosition(last.getStart(source)).line + 1}`);
  };
  walk(source);
  return found;
}

it('no test sets a time limit of its own', () => {
  const broken = "it('waits', async () => {}, 60_000);\nbeforeAll(async () => {\n}, 90_000);\n";
  const names = readdirSync(path.join(root, 'test'), { recursive: true, encoding: 'utf8' });
  const files = names.filter((name) => name.endsWith('.test.ts')).map((name) => `test/${name}`);

  expect(ownTimeLimits('broken.ts', broken)).toEqual(['broken.ts:1', 'broken.ts:3']);
  expect(files.flatMap((file) => ownTimeLimits(file, readFileSync(path.join(root, file), 'utf8')))).toEqual([]);
});

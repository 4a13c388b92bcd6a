import { readFileSync } from 'node:fs';
import path from 'node:path';
import ts from 'typescript';
import { expect, it } from 'vitest';
import yargs from 'yargs';
import { findCommand, type ListedCommand } from '../../src/cli/command.ts';
import { commandList } from '../../src/cli/command-list.ts';
import { commonOptions } from '../../src/cli/options.ts';

const root = path.join(import.meta.dirname, '../..');

/** Texts of a source file, with a word in the place of each value. */
function textsIn(file: string): string[] {
  const source = ts.createSourceFile(file, readFileSync(file, 'utf8'), ts.ScriptTarget.Latest, true);
  const texts: string[] = [];
  const visit = (node: ts.Node): void => {
    if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) texts.push(node.text);
    if (ts.isTemplateExpression(node))
      texts.push([node.head.text, ...node.templateSpans.map(({ literal }) => `VALUE${literal.text}`)].join(''));
    ts.forEachChild(node, visit);
  };
  visit(source);
  return texts;
}

/** Command lines in a text: each runs to the end of its clause. */
function commandsIn(text: string): string[] {
  return [...text.matchAll(/(?<![\w./-])bevelstone ((?:[a-z]|-)[^\n,;:)`|]*)/g)].map(([, words = '']) =>
    words
      .replace(/\. .*$/, '')
      .replace(/["'.]+$/, '')
      .trim(),
  );
}

/** @returns what is wrong with a command line; null for nothing. */
async function whatIsWrong(line: string): Promise<string | null> {
  const words = line.replaceAll('"', '').split(/\s+/);
  const listed: ListedCommand | null = line.startsWith('-') ? null : findCommand(words, commandList);
  if (listed === null) return line.startsWith('-') ? null : 'no such command';
  const command = await listed.load();
  const own = words.slice(listed.name.split(' ').length);
  try {
    await commonOptions(yargs(['it', ...own]))
      .command(`it ${listed.positional}`.trim(), '', (inner) => command.options(inner))
      .strict()
      .version(false)
      .help(false)
      .exitProcess(false)
      .fail((message, error) => {
        throw error ?? new Error(message);
      })
      .parseAsync();
    return null;
  } catch (error) {
    return (error as Error).message;
  }
}

it('every command that a message names can be typed as it stands', async () => {
  const files = ts.sys.readDirectory(path.join(root, 'src'), ['.ts']);
  const named = files
    .filter((file) => !file.endsWith('completion-scripts.ts'))
    .flatMap((file) =>
      textsIn(file).flatMap((text) => commandsIn(text).map((line) => ({ file: path.relative(root, file), line }))),
    );
  const wrong = await Promise.all(named.map(async (one) => ({ ...one, why: await whatIsWrong(one.line) })));

  expect(named.length).toBeGreaterThan(60);
  expect(wrong.filter(({ why }) => why !== null)).toEqual([]);
});

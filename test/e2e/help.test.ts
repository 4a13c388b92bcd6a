import { readFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { helpTexts } from '../../src/cli/program.ts';
import { bevelstone, programFile } from '../builders/program.ts';
import { temporaryFolder } from '../builders/repository.ts';

describe('help', () => {
  it('of every command is kept beside the program, as its parser lays it out', async () => {
    const texts = await helpTexts('0.0.0');
    expect(texts.length).toBeGreaterThan(60);
    for (const { words, width, text } of texts) {
      const file = path.join('help', String(width), `${['bevelstone', ...words].join('-')}.txt`);
      expect(readFileSync(path.join(path.dirname(programFile), file), 'utf8'), file).toBe(text);
    }
  });

  // With another option before it, the parser answers.
  it.each(['', 'survey', 'ledger', 'ledger list', 'deploy list', 'nothing such'])('of "%s"', async (name) => {
    const words = name.split(' ').filter(Boolean);
    const folder = temporaryFolder();
    const prepared = await bevelstone([...words, '--help'], { cwd: folder });
    const parsed = await bevelstone(['--json', ...words, '--help'], { cwd: folder });
    expect(prepared).toEqual(parsed);
  });

  it.each(['../100/bevelstone', '..', 'survey/../survey', 'Survey', ''])('asks the parser about "%s"', async (word) => {
    const { stdout, exitCode } = await bevelstone([word, '--help'], { cwd: temporaryFolder() });
    expect({ exitCode, first: stdout.split('\n')[0] }).toEqual({ exitCode: 0, first: 'bevelstone COMMAND' });
  });
});

import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import fc from 'fast-check';
import picomatch from 'picomatch';
import { describe, expect, it } from 'vitest';
import { maxMarkdownLength } from '../../src/core/page/markdown.ts';
import { renderMarkdownPage } from '../../src/core/page/markdown-page.ts';
import { readmeProblems } from '../../src/core/page/readme-problems.ts';
import { globMatcher, whyComplex } from '../../src/core/text/glob.ts';
import { compilePattern } from '../../src/core/text/linear-pattern.ts';
import { bevelstoneJson, programFile } from '../builders/program.ts';
import { type ReleaseWorkspace, releaseWorkspace } from '../builders/release-workspace.ts';
import { testEnvironment } from '../builders/repository.ts';
import { opens } from '../builders/wait.ts';

const json = (w: ReleaseWorkspace, ...args: string[]) => bevelstoneJson(args, { cwd: w.folder, env: w.env });
/** Much longer than any of it takes, and much shorter than it took. */
const patienceMs = 25_000;

async function withConfig(change: (text: string) => string): Promise<ReleaseWorkspace> {
  const w = await releaseWorkspace();
  const file = path.join(w.folder, 'bevelstone.yaml');
  writeFileSync(file, change(readFileSync(file, 'utf8')));
  return w;
}

describe('a pattern of the configuration', () => {
  it.each(['^(a+)+$', '^(a|aa)+$', '^(([a-z])+.)+[A-Z]([a-z])+$', '(.*)*x'])(
    'such as %s takes time in proportion to the subject',
    async (match) => {
      const w = await withConfig((text) =>
        text.replace('first: 0.1.0', `first: 0.1.0, patterns: [{ match: "${match}", kind: fix }]`),
      );
      w.commit(`${'a'.repeat(900)}!`, { 'soundings/depth.js': 'export const depth = 1;\n' });

      // With a pattern that goes back and forth it would not end.
      const run = await json(w, 'survey');

      expect(run.error).toBeNull();
    },
  );

  it.each([
    ['(?=a)b', /look-ahead/],
    ['(a)\\\\1', /invalid/],
    ['(', /missing/],
  ])('such as %s is refused with its place', async (match, why) => {
    const w = await withConfig((text) =>
      text.replace('first: 0.1.0', `first: 0.1.0, patterns: [{ match: "${match}", kind: fix }]`),
    );

    const run = await json(w, 'config', 'check');

    expect(run.error?.problems[0] ?? run.error).toMatchObject({ message: expect.stringMatching(why) });
    expect(run.error?.where ?? run.error?.problems[0]?.where).toMatchObject({ line: expect.any(Number) });
  });

  it('finds and replaces what a plain expression does', () => {
    const word = fc.string({ unit: fc.constantFrom('a', 'b', '1', ' ', '\n'), maxLength: 12 });
    fc.assert(
      fc.property(fc.constantFrom('a+', '^b', 'b$', '[ab]1', '(a|b)+1?', '\\d', 'a.b'), word, (source, text) => {
        const pattern = compilePattern(source, true);
        expect(pattern.test(text)).toBe(new RegExp(source, 'm').test(text));
        expect(pattern.withoutFirst(text)).toBe(text.replace(new RegExp(source, 'm'), ''));
        expect(pattern.replaceAll(text, '$1\\')).toBe(text.replace(new RegExp(source, 'gm'), () => '$1\\'));
      }),
    );
  });
});

describe('a glob', () => {
  it.each(['*a*b*c*d', '**/a/**/b/**/c/**/d', '+(+(a))b', '@(a|+(b|*(c)))', '!(a)!(b)', 'x'.repeat(500)])(
    'such as %s is refused',
    async (glob) => {
      const w = await withConfig((text) => text.replace('artifacts:', `verify: { forbid: ["${glob}"] }, artifacts:`));

      const run = await json(w, 'config', 'check');

      expect([run.exitCode, run.error?.code]).toEqual([2, 'CONFIG_INVALID']);
      expect(run.error?.why).toContain('too complex');
      expect(() => globMatcher([glob])).toThrow(expect.objectContaining({ code: 'TOO_COMPLEX' }));
    },
  );

  it.each([
    '**/*.test.*',
    'lib/**/*.{js,ts}',
    '*/node.js',
    'LICEN[CS]E*',
    '!(a).js',
    'src/**',
    '@(a|b)/*.d.ts',
    '\\{out\\}/*',
  ])('such as %s is used', (glob) => {
    const matches = globMatcher([glob]);

    expect(whyComplex(glob)).toBeNull();
    for (const name of ['a.js', 'b.js', 'lib/x/y.ts', 'src/.hidden', 'x.test.js', 'LICENSE.md', 'a/x.d.ts', '{out}/x'])
      expect(matches(name), name).toBe(picomatch(glob, { dot: true })(name));
  });
});

const deep = (open: string, close = '') => open.repeat(400) + close.repeat(400);

describe('Markdown', () => {
  it.each<[string, string]>([
    ['brackets', '['.repeat(60_000)],
    ['nested brackets', deep('[', ']')],
    ['nested links', deep('[a](', ')')],
    ['emphasis', '*a_ '.repeat(30_000)],
    ['quotes', '> '.repeat(30_000)],
    ['lists', Array.from({ length: 800 }, (_, index) => `${' '.repeat(index)}- a`).join('\n')],
    ['scripts that are never closed', '<script '.repeat(120_000)],
    ['comments that are never closed', '<!--'.repeat(40_000)],
    ['tags that are never closed', '<a '.repeat(40_000)],
    ['code', `${'`'.repeat(60_000)}x`],
    ['a table', `${'|a'.repeat(400)}\n${'|-'.repeat(400)}\n${`${'|a'.repeat(400)}\n`.repeat(50)}`],
    ['underscores', '_'.repeat(60_000)],
    ['references', '[a]: b\n'.repeat(15_000)],
    ['entities', '&a'.repeat(60_000)],
  ])('with many %s is shown and checked in time', (_, text) => {
    const before = process.cpuUsage();

    expect(renderMarkdownPage(text)).toBeTypeOf('string');
    expect(readmeProblems({ path: 'README.md', text, format: 'markdown' }).length).toBeLessThan(10);

    // The processor's time, which other processes do not lengthen.
    expect(process.cpuUsage(before).user / 1000).toBeLessThan(patienceMs);
  });

  it('that is too long is shown and checked as far as that goes, and both say so', () => {
    const text = 'tide '.repeat(maxMarkdownLength);

    expect(renderMarkdownPage(text)).toContain(`the rest of ${text.length} characters is not shown`);
    expect(readmeProblems({ path: 'README.md', text, format: 'markdown' })).toEqual([
      expect.stringContaining('not checked beyond'),
    ]);
  });
});

describe('a configuration', () => {
  it('with 300,000 unknown keys is refused in time', async () => {
    const keys = Array.from({ length: 300_000 }, (_, index) => `k${index}: 1`).join('\n');
    const large = await withConfig(() => `schema: 1\n${keys}\n`);
    const many = await withConfig(() => `schema: 1\n${keys.slice(0, 900_000).replace(/\n[^\n]*$/, '')}\n`);

    const [tooLarge, wrong] = [await json(large, 'config', 'check'), await json(many, 'config', 'check')];

    expect([tooLarge.exitCode, tooLarge.error?.code]).toEqual([2, 'CONFIG_TOO_LARGE']);
    expect([wrong.exitCode, wrong.error?.code, wrong.error?.problems.length]).toEqual([2, 'CONFIG_INVALID', 100]);
    expect(wrong.error?.message).toMatch(/has \d{5,} mistakes/);
  });
});

describe('a signal', () => {
  it.each(['SIGINT', 'SIGTERM'] as const)('%s ends a busy verify', async (signal) => {
    const w = await releaseWorkspace();
    const readme = Array.from({ length: 400 }, (_, index) => '['.repeat(200 + index)).join('\n');
    const files = Object.fromEntries(
      Array.from({ length: 600 }, (_, index) => [`soundings/f${index}.js`, `import('x${index}');\n`.repeat(2000)]),
    );
    w.commit('feat: much to read', { ...files, 'soundings/README.md': readme });
    await json(w, 'build');
    const child = spawn(process.execPath, [programFile, 'verify', '--json'], {
      cwd: w.folder,
      env: testEnvironment(w.env),
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let stdout = '';
    child.stdout.on('data', (chunk) => {
      stdout += chunk;
    });
    const closed = once(child, 'close');
    // Reading the artifact takes most of its time.
    await opens(child.pid ?? 0, /\.tgz$/);
    child.kill(signal);
    const [exitCode] = await closed;

    if (exitCode !== 130) expect(JSON.parse(stdout).command).toBe('verify');
  });
});

import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { isBevelstoneError } from '../../../src/core/error/bevelstone-error.ts';
import { readClassName } from '../../../src/core/facts/class-file.ts';
import { FactCollector } from '../../../src/core/facts/collector.ts';
import { readDeclarations } from '../../../src/core/facts/declarations.ts';
import { readElf } from '../../../src/core/facts/elf.ts';
import { readScript } from '../../../src/core/facts/script.ts';
import { readFileHeader } from '../../../src/core/licence/file-header.ts';
import { renderMarkdownPage } from '../../../src/core/page/markdown-page.ts';
import { checkArtifact } from '../../../src/core/rule/rules.ts';
import { checkSbom, formatSbom, readSbom } from '../../../src/core/sbom/formats.ts';
import { formatOf } from '../../../src/core/sbom/lockfile/formats.ts';
import { npmArtifact, ruleSettings, testArtifact } from '../../builders/artifact.ts';
import { classFile, elfFile } from '../../builders/binary.ts';

// What comes from outside may be anything: no reader may throw but with an error of ours, or take for ever.

const bytes = (max = 400) => fc.uint8Array({ maxLength: max }).map((array) => Buffer.from(array));

/** A valid file with some bytes changed. */
const damaged = (valid: Buffer) =>
  fc.array(fc.tuple(fc.nat(valid.length - 1), fc.nat(255)), { minLength: 1, maxLength: 8 }).map((changes) => {
    const copy = Buffer.from(valid);
    for (const [at, value] of changes) copy[at] = value;
    return copy;
  });

const words = fc.constantFrom(
  'import',
  'export',
  'default',
  '{',
  '}',
  '(',
  ')',
  "'./a.js'",
  'require',
  'module.exports',
  '=',
  ';',
  '*',
  'from',
  'function',
  'try',
  '`',
  '/*',
  '//',
  '\n',
  '#!',
  'const',
  'a',
  '[',
  ']',
  '...',
);
const code = fc.array(words, { maxLength: 40 }).map((parts) => parts.join(' '));

const value: fc.Arbitrary<unknown> = fc.letrec((tie) => ({
  any: fc.oneof(
    { depthSize: 'small' },
    fc.string({ maxLength: 12 }),
    fc.integer(),
    fc.constant(null),
    fc.boolean(),
    fc.array(tie('any'), { maxLength: 3 }),
    tie('object'),
  ),
  object: fc.dictionary(
    fc.constantFrom(
      'packages',
      'name',
      'version',
      'dependencies',
      'resolution',
      '',
      'node_modules/a',
      'relationships',
      'SPDXID',
      'files',
      'checksums',
      'components',
      'bom-ref',
      'licenses',
      'license',
      'exports',
      'main',
      '.',
      'browser',
      'types',
      'bin',
      'imports',
      '#a',
      'files',
      'engines',
      'repository',
      'keywords',
      'scripts',
    ),
    tie('any'),
    { maxKeys: 5 },
  ),
})).object;

describe('bytes of any kind are read or left alone', () => {
  it.each<[string, fc.Arbitrary<Buffer>, (input: Buffer) => unknown]>([
    [
      'an ELF file',
      fc.oneof(bytes(), damaged(elfFile({ soname: 'a.so', runPath: '/x', cLibrary: '2.3', debug: true }))),
      readElf,
    ],
    ['a class', fc.oneof(bytes(), damaged(classFile('example/Tide', 11))), readClassName],
    ['the header of a file', bytes(), readFileHeader],
  ])('%s', (_, input, read) => {
    fc.assert(
      fc.property(input, (bytes) => void read(bytes)),
      { numRuns: 300 },
    );
  });

  it.each<[string, (text: string) => unknown]>([
    ['a script', readScript],
    ['declarations', readDeclarations],
    ['a page', renderMarkdownPage],
  ])('%s of any words', (_, read) => {
    fc.assert(fc.property(fc.oneof(code, fc.string({ unit: 'binary', maxLength: 200 })), (text) => void read(text)));
  });

  it('reads a sum of thousands of terms, reports endless brackets', () => {
    const sum = Array.from({ length: 3000 }, (_, index) => index).join(' + ');

    expect(readScript(`x = ${sum};`).syntax).toBe('either');
    expect(readScript(`x = ${'('.repeat(50_000)}`).syntax).toBe('broken');
  });
});

it.each([
  'package-lock.json',
  'packages.lock.json',
  'yarn.lock',
  'pnpm-lock.yaml',
  'requirements.txt',
  'Cargo.lock',
  'pylock.toml',
  'go.mod',
  'pom.xml',
])('%s of anything is read, left, or refused by name', (file) => {
  const format = formatOf(file);
  const context = { file, manifests: new Map(), beside: () => null };
  const input = fc.oneof(
    fc.string({ maxLength: 80 }),
    value.map((item) => JSON.stringify(item)),
    value.map((item) => JSON.stringify({ lockfileVersion: 3, version: 1, ...(item as object) })),
  );

  fc.assert(
    fc.property(input, (text) => {
      try {
        format?.read(text, context);
      } catch (error) {
        if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
      }
    }),
  );
});

it.each(['spdx', 'cyclonedx'] as const)('a %s document of anything is checked, and read as far as it goes', (kind) => {
  fc.assert(
    fc.property(value, (json) => {
      const document = { kind, json: json as Record<string, unknown> };

      expect(checkSbom(document).length).toBeGreaterThan(0);
      formatSbom(readSbom(document), kind);
    }),
  );
});

it('a manifest of anything is judged by every rule', () => {
  fc.assert(
    fc.property(value, (json) => {
      const artifact = npmArtifact(json as Record<string, unknown>);

      for (const { message, fix } of checkArtifact(artifact, ruleSettings()))
        expect(message.length * fix.length).toBeGreaterThan(0);
    }),
  );
});

it('entries of any paths are judged by every rule', () => {
  const path = fc.oneof(
    fc.string({ unit: 'binary', minLength: 1, maxLength: 20 }),
    fc.constantFrom(
      'package/..',
      '/etc',
      'a//b',
      'C:\\x',
      'package/aux',
      '.',
      'META-INF/MANIFEST.MF',
      'x.dist-info/WHEEL',
      'a.nuspec',
      '[Content_Types].xml',
    ),
  );
  const files = fc.dictionary(path, fc.string({ maxLength: 20 }), { minKeys: 1, maxKeys: 6 });

  fc.assert(
    fc.property(
      files,
      fc.constantFrom('tar.gz', 'zip', 'deb'),
      fc.constantFrom('a.tgz', 'a-1-py3-none-any.whl', 'a.jar', 'a.deb', 'a.nupkg'),
      (inside, container, name) => {
        checkArtifact(testArtifact(container as 'zip', name, inside), ruleSettings());
      },
    ),
  );
});

it('what is collected does not depend on how files are cut', () => {
  const files: Readonly<Record<string, string>> = {
    'a.js': 'export const a = 1;\n',
    'b.py': 'import os\n',
    'c.d.ts': 'export declare const c: 1;',
    'd.js.map': '{"sources":["x"]}',
    'bin/e': '#!/usr/bin/env node\nrequire("x");\n',
  };
  const collect = (size: number) => {
    const collector = new FactCollector();
    for (const [path, text] of Object.entries(files)) {
      const content = Buffer.from(text);
      // The beginning of a file tells what it is, and comes in one piece from every reader.
      for (let at = 0; at < content.length; at += at === 0 ? Math.max(20, size) : size)
        collector.chunk(path, content.subarray(at, at === 0 ? Math.max(20, size) : at + size), at === 0);
    }
    return collector.finish(readDeclarations);
  };

  for (const size of [1, 7, 20]) expect(collect(size)).toEqual(collect(1000));
  expect([...collect(1000).scripts.keys()]).toEqual(['a.js', 'bin/e']);
});

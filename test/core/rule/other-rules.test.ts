import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Artifact } from '../../../src/core/form/artifact.ts';
import type { RuleSettings } from '../../../src/core/rule/rule.ts';
import { checkArtifact } from '../../../src/core/rule/rules.ts';
import { globMatcher } from '../../../src/core/text/glob.ts';
import { npmArtifact, ruleSettings, wheelArtifact } from '../../builders/artifact.ts';
import { classFile, elfFile } from '../../builders/binary.ts';
import { deb, info, jar, library, linux, module, nupkg, pom, signed, wholePom } from './cases/other-forms.ts';

describe('an artifact in which nearly nothing is wrong', () => {
  it.each<[string, Artifact, Partial<RuleSettings>?]>([
    [
      'a pure wheel with scripts, dependencies and classifiers',
      wheelArtifact('Classifier: Programming Language :: Python :: 3.13\nRequires-Dist: PyYAML\n', {
        'tidemark_py/cli.py': 'import yaml\nfrom . import table\n\ndef main():\n    import harmonics\n',
        [`${info}/entry_points.txt`]: '[console_scripts]\ntide = tidemark_py.cli:main\n',
      }),
    ],
    [
      'a wheel with an extension module',
      wheelArtifact('', { [module]: elfFile({ cLibrary: '2.17', runPath: '$ORIGIN/../lib' }) }, linux),
    ],
    [
      'a jar with classes for newer versions',
      jar(
        {
          'example/Tide.class': classFile('example/Tide', 11),
          'META-INF/versions/17/example/Tide.class': classFile('example/Tide', 17),
        },
        'Manifest-Version: 1.0\r\nMulti-Release: true\r\nMain-Class: example.Tide\r\n',
      ),
      { java: 11 },
    ],
    [
      'a signed jar',
      jar(
        { 'A.class': 'a', 'META-INF/HARBOUR.SF': 'x', 'META-INF/HARBOUR.RSA': 'x', 'META-INF/services/x.SF': 'x' },
        signed,
      ),
    ],
    ['a jar with files that only look like signatures', jar({ 'META-INF/deep/H.SF': 'x', 'META-INF/H.SF.txt': 'x' })],
    ['a POM with all it needs', pom(wholePom)],
    ['a library with its soname', library({ cLibrary: '2.9' }), { cLibrary: '2.31' }],
    [
      'a deb',
      deb(
        {
          'etc/tide.conf': 'x',
          'usr/share/doc/libharmonics/copyright': 'MIT\n',
          'usr/bin/tide': { text: '#!/bin/sh\n', mode: 0o755 },
          'usr/lib/x86_64-linux-gnu/libh.so.0': elfFile({ soname: 'libh.so.0' }),
        },
        { conffiles: '/etc/tide.conf\n' },
      ),
    ],
  ])('%s is left alone', (_, artifact, settings) => {
    expect(checkArtifact(artifact, ruleSettings(settings)).filter(({ severity }) => severity !== 'note')).toEqual([]);
  });

  it.each([
    'net472',
    'net4',
    'net35',
    'net8.0',
    'net10.0-windows7.0',
    'netstandard2.0',
    'netcoreapp3.1',
    'portable-net45+win8',
  ])('a nupkg with files for %s has no finding about frameworks', (name) => {
    const findings = checkArtifact(nupkg({ [`lib/${name}/F.dll`]: 'x', 'lib/F.dll': 'x' }), ruleSettings());

    expect(findings.filter(({ rule }) => rule === 'dotnet/framework-folders')).toEqual([]);
  });

  it('reports only the licence of a nupkg', () => {
    const findings = checkArtifact(
      nupkg({ 'lib/net8.0/F.dll': 'x' }, '<group targetFramework="net8.0"/>'),
      ruleSettings(),
    );

    expect(new Set(findings.filter(({ rule }) => rule.startsWith('dotnet/')))).toEqual(new Set());
  });
});

describe('files that a manifest lists', () => {
  const artifactWith = (files: readonly string[], paths: readonly string[]) =>
    npmArtifact({ files }, Object.fromEntries(paths.map((path) => [`package/${path}`, 'x'])));
  const missing = (artifact: Artifact) =>
    checkArtifact(artifact, ruleSettings()).filter(({ rule }) => rule === 'contents/named-file-missing');

  it('are found as their globs would find them', () => {
    const name = fc.constantFrom('lib', 'LIB', 'a.js', '.env', '@fen', 'b-c', '..', '.', '');
    const path = fc.array(fc.constantFrom('lib', 'Lib', 'a.js', '.env', '@fen', 'b-c', 'x'), {
      minLength: 1,
      maxLength: 5,
    });
    const listed = fc.array(name, { minLength: 1, maxLength: 3 }).map((parts) => parts.join('/'));
    fc.assert(
      fc.property(fc.array(path, { maxLength: 4 }), listed, (paths, file) => {
        const artifact = artifactWith(
          [file],
          paths.map((parts) => parts.join('/')),
        );
        const inside = artifact.entries.map((entry) => entry.path.slice('package/'.length));
        const pattern = file.replace(/^\.?\//, '').replace(/\/$/, '');
        fc.pre(pattern !== '' && pattern !== '.');
        const globs = [pattern, `${pattern}/**`, `**/${pattern}`, `**/${pattern}/**`];
        const isThere = inside.some(globMatcher(globs, { nocase: true }));

        expect(missing(artifact).map(({ message }) => message)).toEqual(
          isThere ? [] : [`\`files\` lists ${file}, which matches no file`],
        );
      }),
      { numRuns: 200 },
    );
  });

  it('are looked for as long as that is no endless work, and the rest is named', () => {
    const names = Array.from({ length: 50_000 }, (_, index) => `lib/tide-${index}`);
    const globs = Array.from({ length: 150 }, (_, index) => `lib/*-${index}`);

    const found = missing(artifactWith([...names, ...globs], names.slice(1, 20_000)));

    expect(found.filter(({ message }) => message.includes('lists lib/tide-'))).toHaveLength(30_001);
    expect(found.at(-1)).toMatchObject({
      severity: 'note',
      message: expect.stringMatching(/^50 patterns .* not checked/),
    });
  });
});

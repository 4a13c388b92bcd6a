import { hash } from 'node:crypto';
import { type BinaryKind, readBinaryKind } from '../../src/core/contents/binary.ts';
import type { ReadEntry } from '../../src/core/contents/entry.ts';
import { FactCollector } from '../../src/core/facts/collector.ts';
import { readDeclarations } from '../../src/core/facts/declarations.ts';
import type { Artifact } from '../../src/core/form/artifact.ts';
import { describeArtifact } from '../../src/core/form/describe.ts';
import type { RuleSettings } from '../../src/core/rule/rule.ts';
import { plainSettings } from '../../src/flow/artifact/rule-settings.ts';

/** Files by path: text, bytes, or an entry with more to it. */
export type TestFiles = Readonly<Record<string, string | Buffer | (Partial<ReadEntry> & { readonly text?: string })>>;

/** An artifact as reading would give it, made of files in memory: described and examined by the real code. */
export function testArtifact(
  container: 'tar.gz' | 'zip' | 'deb' | 'text',
  fileName: string,
  files: TestFiles,
  {
    control = {},
    ownPlaces = [],
    extra = [],
  }: { control?: Record<string, string>; ownPlaces?: string[]; extra?: ReadEntry[] } = {},
): Artifact {
  const collector = new FactCollector(ownPlaces);
  const binaries = new Map<string, BinaryKind>();
  const texts = new Map<string, string>();
  const entries = Object.entries(files).map(([path, content]): ReadEntry => {
    const more = typeof content === 'string' || Buffer.isBuffer(content) ? {} : content;
    const bytes = Buffer.isBuffer(content)
      ? content
      : Buffer.from(typeof content === 'string' ? content : (content.text ?? ''));
    if (bytes.length > 0) collector.chunk(path, bytes, true);
    const kind = readBinaryKind(bytes);
    if (kind !== null) binaries.set(path, kind);
    texts.set(path, bytes.toString('utf8'));
    const { text: _, ...fields } = { text: '', ...more };
    const sha256 = hash('sha256', bytes);
    return {
      path,
      type: 'file',
      sizeBytes: bytes.length,
      mode: 0o644,
      linkname: null,
      sha256,
      mtime: 1_775_000_000,
      owner: '0:0',
      ...fields,
    };
  });
  const all = [...entries, ...extra];
  const raw = {
    fileName,
    container,
    entries: all,
    texts,
    control: new Map(Object.entries(control)),
    comment: null,
    binaries,
  };
  const sizeBytes = all.reduce((sum, entry) => sum + entry.sizeBytes, 100);
  const facts = collector.finish(readDeclarations);
  return { ...describeArtifact(raw), fileName, sizeBytes, entries: all, texts, control: raw.control, binaries, facts };
}

/** Settings that ask for nothing. */
export function ruleSettings(more: Partial<RuleSettings> = {}): RuleSettings {
  return {
    ...plainSettings({ now: () => new Date(1_780_000_000_000) }),
    growth: 2,
    ...more,
  };
}

const packageJson = {
  name: 'tidemark',
  version: '1.4.0',
  description: 'Tides',
  license: 'MIT',
  type: 'module',
  exports: './dist/tide.js',
  engines: { node: '>=20' },
  repository: 'https://git.fenmarsh.example/tides',
};

/** The text of the MIT licence, as far as it tells which one it is. */
export const mitText = `MIT License

Permission is hereby granted, free of charge, to any person obtaining a copy of this software, to deal in it. The above notice
shall be included in all copies or substantial portions of the Software. THE SOFTWARE IS PROVIDED "AS IS", WITHOUT WARRANTY.`;

/** An npm tarball in which nothing is wrong, with changes. */
export function npmArtifact(
  json: Readonly<Record<string, unknown>> = {},
  files: TestFiles = {},
  fileName = 'tidemark-1.4.0.tgz',
): Artifact {
  const manifest = JSON.stringify({ ...packageJson, ...json });
  const usual = {
    'package/package.json': manifest,
    'package/README.md': '# Tidemark\n\nTide heights and tables for the estuary.\n',
    'package/LICENSE': mitText,
    'package/dist/tide.js': 'export const heights = [1, 2];\n',
    'package/dist/tide.d.ts': 'export declare const heights: number[];\n',
  };
  const all = Object.entries({ ...usual, ...files }).filter(([, content]) => content !== '(none)');
  return testArtifact('tar.gz', fileName, Object.fromEntries(all));
}

/** A wheel in which nothing is wrong, with changes; RECORD is made of what is inside unless it is given. */
export function wheelArtifact(
  metadata: string,
  files: TestFiles = {},
  fileName = 'tidemark_py-1.4.0-py3-none-any.whl',
): Artifact {
  const info = 'tidemark_py-1.4.0.dist-info';
  const tag = fileName.split('-').slice(2).join('-').replace('.whl', '');
  const head = `Metadata-Version: 2.4\nName: tidemark-py\nVersion: 1.4.0\nSummary: Tides\nLicense-Expression: MIT\nRequires-Python: >=3.9\nProject-URL: Source, https://git.fenmarsh.example/tides\n`;
  const usual: TestFiles = {
    'tidemark_py/__init__.py': 'import math\n\ndef table():\n    return math.pi\n',
    [`${info}/METADATA`]: `${head}${metadata}Description-Content-Type: text/markdown\n\n# Tidemark\n\nTide tables for the estuary.\n`,
    [`${info}/WHEEL`]: `Wheel-Version: 1.0\nGenerator: test\nRoot-Is-Purelib: ${tag.endsWith('none-any')}\nTag: ${tag}\n`,
    [`${info}/licenses/LICENSE`]: mitText,
  };
  const all: TestFiles = { ...usual, ...files };
  const line = (path: string, content: TestFiles[string]) => {
    const bytes = Buffer.isBuffer(content)
      ? content
      : Buffer.from(typeof content === 'string' ? content : (content.text ?? ''));
    return `${path},sha256=${Buffer.from(hash('sha256', bytes), 'hex').toString('base64url')},${bytes.length}\n`;
  };
  const record = `${info}/RECORD`;
  const lines = Object.entries(all)
    .filter(([path]) => path !== record)
    .map(([path, content]) => line(path, content));
  return testArtifact('zip', fileName, { ...all, [record]: all[record] ?? `${lines.join('')}${record},,\n` });
}

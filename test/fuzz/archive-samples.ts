import { readFileSync } from 'node:fs';
import path from 'node:path';
import type { PackInput } from '../../src/world/archive/pack-input.ts';
import { writeDeb } from '../../src/world/archive/write-deb.ts';
import { writeTarGz } from '../../src/world/archive/write-tar.ts';
import { writeZip } from '../../src/world/archive/write-zip.ts';
import { classFile, elfFile } from '../builders/binary.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { manifestSamples } from './samples.ts';

type Content = string | Buffer | { readonly link: string };

function inputs(files: Readonly<Record<string, Content>>): PackInput[] {
  return Object.entries(files).map(([name, content]) => ({
    path: name,
    mode: 0o644,
    content:
      typeof content === 'string' || Buffer.isBuffer(content)
        ? { type: 'bytes', bytes: Buffer.from(content) }
        : { type: 'symlink', linkname: content.link },
    origin: { type: 'generated' },
  }));
}

const metadata =
  'Metadata-Version: 2.4\nName: tides\nVersion: 1.4.0\nRequires-Dist: depth>=1; extra == "full"\n\nAbout tides\n';
const script =
  'import { depth } from "depth";\nimport data from "./x.json" with { type: "json" };\nexport const tide = (a = 1) => `$\u007ba} $\u007bdepth}`;\n';
const elf = elfFile({
  soname: 'libtides.so.1',
  runPath: '$ORIGIN/../lib',
  cLibrary: '2.17',
  debug: true,
  interpreter: '/lib64/ld.so',
});

const trees = {
  npm: {
    'package/package.json': manifestSamples['package.json'] ?? '',
    'package/README.md': '# Tides\n\n[a](./x) ![b](y.png) <b>c</b>\n\n| a | b |\n|---|---|\n| 1 | 2 |\n',
    'package/a.js': script,
    'package/a.cjs': 'module.exports = require("./b"); exports.x = `a`;\n',
    'package/a.d.ts': 'export declare const tide: (a?: number) => string;\nexport * from "./b";\n',
    'package/a.js.map': '{"version":3,"sources":["../src/a.ts"],"sourcesContent":["x"],"mappings":"AAAA"}',
    'package/bin/tide.js': '#!/usr/bin/env node\nconsole.log(1)\n',
    'package/link': { link: 'a.js' },
    'package/deep/er/than/names/that/fit/into/the/header/of/an/old/archive/so/that/another/header/is/written/before/it/x.txt':
      'x',
  },
  wheel: {
    'tides/__init__.py':
      'from . import table\nimport os, depth as d\nfrom moon.phase import (full,\n  new)\n__all__ = ["x"]\n',
    'tides/lib.so': elf,
    'tides-1.4.0.dist-info/METADATA': metadata,
    'tides-1.4.0.dist-info/WHEEL': 'Wheel-Version: 1.0\nGenerator: office\nRoot-Is-Purelib: true\nTag: py3-none-any\n',
    'tides-1.4.0.dist-info/entry_points.txt': '[console_scripts]\ntides = tides.table:main\n',
    'tides-1.4.0.dist-info/RECORD': 'tides/__init__.py,sha256=AAAA,10\ntides-1.4.0.dist-info/RECORD,,\n',
  },
  jar: {
    'META-INF/MANIFEST.MF':
      'Manifest-Version: 1.0\r\nImplementation-Version: 1.4.0\r\nClass-Path: a.jar\r\n\r\nName: a/\r\nSealed: true\r\n',
    'example/Tide.class': classFile('example/Tide', 17),
    'META-INF/versions/21/example/Tide.class': classFile('example/Tide', 21),
    'META-INF/maven/g/a/pom.xml': manifestSamples['pom.xml'] ?? '',
  },
  nupkg: {
    '[Content_Types].xml': '<Types/>',
    '_rels/.rels': '<Relationships/>',
    'Fenmarsh.Tides.nuspec': manifestSamples['Fenmarsh.Tides.nuspec'] ?? '',
    'lib/net8.0/Tides.dll': Buffer.from('MZ\0\0'),
  },
  sdist: {
    'tides-1.4.0/PKG-INFO': metadata,
    'tides-1.4.0/pyproject.toml': manifestSamples['pyproject.toml'] ?? '',
    'tides-1.4.0/tides/__init__.py': 'import os\n',
  },
  crate: {
    'tides-1.4.0/Cargo.toml':
      '[package]\nname = "tides"\nversion = "1.4.0"\nedition = "2021"\nlicense = "MIT"\n[dependencies]\ndepth = { version = "1", optional = true }\n[features]\nfull = ["dep:depth"]\n',
    'tides-1.4.0/Cargo.toml.orig': '[package]\n',
    'tides-1.4.0/.cargo_vcs_info.json': '{"git":{"sha1":"0123456789012345678901234567890123456789"}}',
    'tides-1.4.0/src/lib.rs': 'pub fn tide() {}\n',
  },
  module: {
    'fenmarsh.example/tides@v1.4.0/go.mod':
      'module fenmarsh.example/tides\n\ngo 1.19\n\nreplace a.example/b => c.example/d v1.0.0\n\nretract [v1.0.0, v1.1.0]\n',
    'fenmarsh.example/tides@v1.4.0/tides.go': 'package tides\n',
  },
  data: {
    'usr/lib/x86_64-linux-gnu/libtides.so.1': elf,
    'usr/share/doc/tides/copyright': 'MIT\n',
    'usr/lib/l': { link: 'libtides.so.1' },
  },
  control: {
    control:
      'Package: tides\nVersion: 1.4.0-1\nArchitecture: amd64\nMaintainer: Office <office@fenmarsh.example>\nDescription: Tides\n',
    md5sums: '',
    conffiles: '/etc/tides\n',
  },
} as const satisfies Readonly<Record<string, Readonly<Record<string, Content>>>>;

/** One valid artifact of each form, in bytes, by the ending of its name. */
export async function archiveSamples(): Promise<Readonly<Record<string, Buffer>>> {
  const folder = temporaryFolder();
  const mtime = 1_700_000_000;
  const file = (name: string) => path.join(folder, name);
  await writeTarGz(file('tides-1.4.0.tgz'), inputs(trees.npm), { mtime, comment: 'a'.repeat(40) });
  await writeTarGz(file('tides-1.4.0.tar.gz'), inputs(trees.sdist), { mtime });
  await writeZip(file('tides-1.4.0-py3-none-any.whl'), inputs(trees.wheel), { mtime });
  await writeZip(file('tides-1.4.0.jar'), inputs(trees.jar), { mtime });
  await writeZip(file('Fenmarsh.Tides.1.4.0.nupkg'), inputs(trees.nupkg), { mtime });
  await writeTarGz(file('tides-1.4.0.crate'), inputs(trees.crate), { mtime });
  await writeZip(file('tides-v1.4.0.zip'), inputs(trees.module), { mtime });
  await writeDeb({
    file: file('tides_1.4.0-1_amd64.deb'),
    control: inputs(trees.control),
    data: inputs(trees.data),
    mtime,
  });
  const names = [
    'tides-1.4.0.tgz',
    'tides-1.4.0.tar.gz',
    'tides-1.4.0-py3-none-any.whl',
    'tides-1.4.0.jar',
    'Fenmarsh.Tides.1.4.0.nupkg',
    'tides-1.4.0.crate',
    'tides-v1.4.0.zip',
    'tides_1.4.0-1_amd64.deb',
  ];
  return {
    ...Object.fromEntries(names.map((name) => [name, readFileSync(file(name))])),
    'tides-1.4.0.pom': Buffer.from(manifestSamples['pom.xml'] ?? ''),
  };
}

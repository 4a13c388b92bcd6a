import path from 'node:path';
import { formatMode } from '../../core/contents/entry.ts';
import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Inspection } from '../../flow/inspect.ts';
import { displayPath } from './display-path.ts';
import type { Screen } from './screen.ts';
import { renderTable } from './table.ts';

/** Metadata, entries, and last the file with its size and digest. */
export function renderInspection({ file, artifact, contentDigest }: Inspection, screen: Screen): string {
  const { colours } = screen;
  const { manifest, entries, form } = artifact;
  const name =
    manifest === null ? path.basename(file) : `${manifest.common.name ?? '?'} ${manifest.common.version ?? '?'}`;
  const lines = [`${colours.bold(cleanText(name))}  ${form}`];
  if (manifest !== null) {
    lines.push(
      `  ${cleanText(manifest.common.description ?? 'no description')}`,
      `  licence ${cleanText(manifest.common.licence ?? 'none')}`,
    );
    const needs = manifest.common.dependencies.filter(({ kind }) => kind !== 'development');
    if (needs.length > 0)
      lines.push(`  needs ${needs.map(({ name, range }) => cleanText(`${name} ${range}`)).join(', ')}`);
  }
  const rows = entries.map(({ path: inside, sizeBytes, mode, type, linkname, sha256 }) => [
    formatMode(mode),
    formatBytes(sizeBytes),
    (sha256 ?? '').slice(0, 12),
    `${inside}${type === 'folder' || type === 'file' ? '' : ` (${type}${linkname === null ? '' : ` to ${linkname}`})`}`,
  ]);
  const columns = [
    { title: 'mode' },
    { title: 'size', align: 'right' as const },
    { title: 'sha256' },
    { title: 'path' },
  ];
  const unpacked = entries.reduce((sum, { sizeBytes }) => sum + sizeBytes, 0);
  return [
    ...lines,
    '',
    renderTable(columns, rows, screen),
    '',
    `  ${entries.length} entries, ${formatBytes(unpacked)} unpacked, content ${contentDigest.slice(0, 16)}`,
    `  ${displayPath(file)}  ${formatBytes(artifact.sizeBytes)}  sha256 ${artifact.sha256}`,
  ].join('\n');
}

/** The `result` of `inspect --json`. */
export function inspectionJson({ file, artifact, contentDigest }: Inspection): unknown {
  const { form, manifest, entries, sizeBytes, sha256, sha512 } = artifact;
  return {
    file,
    form,
    size: sizeBytes,
    sha256,
    sha512,
    contentDigest,
    metadata: manifest === null ? {} : manifest.json,
    entries: entries.map((entry) => ({
      path: entry.path,
      type: entry.type,
      size: entry.sizeBytes,
      mode: formatMode(entry.mode),
      sha256: entry.sha256,
      linkname: entry.linkname,
    })),
  };
}

import path from 'node:path';
import { type Entry, formatMode } from '../../core/contents/entry.ts';
import { formatBytes } from '../../core/text/bytes.ts';
import { cleanLines, cleanText } from '../../core/text/clean.ts';
import type { Inspection } from '../../flow/artifact/inspect.ts';
import { renderComparison } from './comparison.ts';
import { displayPath } from './display-path.ts';
import { renderEntryTree } from './entry-tree.ts';
import { LazyList } from './json.ts';
import type { Screen } from './screen.ts';
import { numberColumn, pathColumn, renderTable } from './table.ts';

/** Metadata, then what was asked: entries, a comparison, picks, what was left behind; last the file with size and digest. */
export function renderInspection(inspection: Inspection, screen: Screen, { tree }: { readonly tree: boolean }): string {
  const { file, artifact, comparison, picks, leftBehind, extracted, printed } = inspection;
  if (printed !== null) return cleanLines(printed.bytes.toString('utf8').replace(/\n$/, ''));
  const blocks = [renderHead(inspection, screen).join('\n')];
  if (comparison !== null) blocks.push(renderComparison(comparison, screen));
  if (picks !== null) blocks.push(renderPicks(picks, screen));
  if (leftBehind !== null) blocks.push(renderLeftBehind(leftBehind, screen));
  if (comparison === null && picks === null && leftBehind === null)
    blocks.push(tree ? renderEntryTree(artifact.entries, screen) : renderEntries(artifact.entries, screen));
  const unpacked = artifact.entries.reduce((sum, { sizeBytes }) => sum + sizeBytes, 0);
  const tail = [
    `  ${count(artifact.entries.length)}, ${formatBytes(unpacked)} unpacked, content ${artifact.contentDigest.slice(0, 16)}`,
    `  ${displayPath(file)}  ${formatBytes(artifact.sizeBytes)}`,
    `  sha256 ${artifact.sha256}`,
  ];
  if (extracted !== null) tail.push(`  extracted into ${displayPath(extracted.folder)}/`);
  return [...blocks, tail.join('\n')].join('\n\n');
}

function count(entries: number): string {
  return `${entries} ${entries === 1 ? 'entry' : 'entries'}`;
}

function renderHead({ file, artifact }: Inspection, screen: Screen): string[] {
  const { manifest, form, targets, commit } = artifact;
  const common = manifest?.common;
  const name = common?.name == null ? path.basename(file) : `${common.name} ${common.version ?? ''}`.trim();
  const lines = [`${screen.colours.bold(cleanText(name))}  ${form}`];
  const needs = (common?.dependencies ?? []).filter(({ kind }) => kind !== 'development');
  if (common?.description != null) lines.push(`  ${cleanText(common.description)}`);
  if (common?.licence != null) lines.push(`  licence ${cleanText(common.licence)}`);
  if (needs.length > 0)
    lines.push(`  needs ${needs.map((need) => cleanText(`${need.name} ${need.range}`).trim()).join(', ')}`);
  for (const target of targets) lines.push(`  for ${cleanText(target)}`);
  if (commit !== null) lines.push(`  built from commit ${cleanText(commit)}`);
  return lines;
}

function renderEntries(entries: readonly Entry[], screen: Screen): string {
  const rows = entries.map(({ path: inside, sizeBytes, mode, type, linkname, sha256 }) => [
    formatMode(mode),
    type === 'folder' ? '' : formatBytes(sizeBytes),
    (sha256 ?? '').slice(0, 8),
    `${inside}${type === 'folder' || type === 'file' ? '' : ` (${type}${linkname === null ? '' : ` to ${linkname}`})`}`,
  ]);
  const columns = ['mode', numberColumn('size'), 'sha256', pathColumn('path')];
  return renderTable({ columns, rows, screen });
}

function renderPicks(picks: NonNullable<Inspection['picks']>, screen: Screen): string {
  const rows = picks.map(({ consumer, entry, file }, index) => [
    picks[index - 1]?.entry === entry ? '' : entry,
    consumer,
    file ?? 'none',
  ]);
  return renderTable({ columns: ['entry', 'consumer', pathColumn('gets')], rows, screen });
}

function renderLeftBehind(leftBehind: NonNullable<Inspection['leftBehind']>, screen: Screen): string {
  if (leftBehind.length === 0) return '  Nothing of the package is left behind';
  const rows = leftBehind.map(({ path: inside, reason }, index) => [
    leftBehind[index - 1]?.reason === reason ? '' : reason,
    inside,
  ]);
  return renderTable({ columns: ['left out because', pathColumn('file')], rows, screen });
}

/** The `result` of `inspect --json`. */
export function inspectionJson({ file, artifact, comparison, picks, leftBehind, extracted }: Inspection): unknown {
  const { form, manifest, entries, sizeBytes, sha256, contentDigest, targets, commit } = artifact;
  return {
    file,
    form,
    size: sizeBytes,
    sha256,
    contentDigest,
    version: manifest?.common.version ?? null,
    commit,
    targets,
    metadata: manifest === null ? {} : manifest.json,
    entries: new LazyList(entries, entryJson),
    ...(comparison === null
      ? {}
      : {
          ...comparison,
          added: comparison.added.map(entryJson),
          removed: comparison.removed.map(entryJson),
          changed: comparison.changed.map((changedEntry) => ({
            path: changedEntry.path,
            what: changedEntry.what,
            before: entryJson(changedEntry.before),
            after: entryJson(changedEntry.after),
          })),
        }),
    ...(picks === null ? {} : { picks }),
    ...(leftBehind === null ? {} : { leftBehind }),
    ...(extracted === null ? {} : { extracted }),
  };
}

function entryJson({ path: inside, type, sizeBytes, mode, sha256, linkname }: Entry) {
  return { path: inside, type, size: sizeBytes, mode: formatMode(mode), sha256, linkname };
}

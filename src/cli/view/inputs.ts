import path from 'node:path';
import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { InputEdited } from '../../flow/inputs/edit-input.ts';
import type { InputSaved } from '../../flow/inputs/save-input.ts';
import type { InputFacts, InputsUpdated, InputUpdate } from '../../flow/inputs/update-inputs.ts';
import { displayPath } from './display-path.ts';
import { type Screen, sign } from './screen.ts';
import { renderTable } from './table.ts';
import { beside } from './wrap.ts';

/** More names than this are only counted. */
const mostNames = 12;

/** What changes, before the question. */
export function renderUpdatePlan(updates: readonly InputUpdate[], screen: Screen): string {
  return updates.map((update) => `${renderUpdate(update, screen)}\n`).join('\n');
}

function renderUpdate(update: InputUpdate, screen: Screen): string {
  const { name, package: pkg, old, signature } = update;
  const rows = [
    ['old', ...(old === null ? ['no checksum', '', ''] : 'why' in old ? [old.sha256, '', ''] : cells(old))],
    ['new', ...cells(update.new)],
  ];
  const signed = signature.type === 'good' ? `good, by ${signature.by}` : `not checked: ${signature.why}`;
  return [
    screen.colours.bold(`${cleanText(name)}, input of ${cleanText(pkg)}`),
    '',
    renderTable({ columns: ['', 'sha256', 'version', 'size'], rows, screen }),
    '',
    ...(old !== null && 'why' in old ? [beside('  the old file could not be had: ', cleanText(old.why), screen)] : []),
    ...named('added', update.added, screen),
    ...named('removed', update.removed, screen),
    ...named('changed', update.changed, screen),
    ...(update.same === 0 ? [] : [update.same === 1 ? '  1 file is the same' : `  ${update.same} files are the same`]),
    `  signature: ${cleanText(signed)}`,
  ].join('\n');
}

function cells({ sha256, version, sizeBytes }: InputFacts): string[] {
  return [sha256, cleanText(version ?? ''), formatBytes(sizeBytes)];
}

function named(what: string, files: readonly string[], screen: Screen): string[] {
  if (files.length === 0) return [];
  const more = files.length > mostNames ? ` and ${files.length - mostNames} more` : '';
  return [beside(`  ${what}: `, cleanText(files.slice(0, mostNames).join(', ')) + more, screen)];
}

/** What was written, or that nothing had to be. */
export function renderUpdated({ file, written, inputs }: InputsUpdated, screen: Screen): string {
  const changes = inputs.filter(({ isSame }) => !isSame);
  const same = inputs
    .filter(({ isSame }) => isSame)
    .map(
      ({ name, package: pkg }) =>
        `${sign('nothing', screen)} unchanged  ${cleanText(name)}, input of ${cleanText(pkg)}`,
    );
  if (written) {
    const done = changes.map(
      ({ name, new: { sha256 } }) => `${sign('done', screen)} written  ${cleanText(name)}: ${sha256}`,
    );
    return [...same, ...done, '', `  ${displayPath(file)}`].join('\n');
  }
  if (changes.length === 0) return same.join('\n');
  return [...same, renderUpdatePlan(changes, screen), 'Dry run: nothing was written'].join('\n');
}

/** The `result` of `inputs update --json`. */
export function updatedJson({ file, written, inputs }: InputsUpdated): unknown {
  const facts = ({ version, sha256, sizeBytes: size }: InputFacts) => ({ version, sha256, size });
  return {
    file,
    written,
    inputs: inputs.map(({ old, new: fresh, isSame: _, ...rest }) => ({
      ...rest,
      old: old === null || 'why' in old ? old : facts(old),
      new: facts(fresh),
    })),
  };
}

/** Where the sources lie, with their patches. */
export function renderEdited({ name, version, folder, patches, stopped }: InputEdited, screen: Screen): string {
  const what = cleanText(`${name}${version === null ? '' : ` ${version}`}`);
  const rows = patches.map(({ file, subject }) => [path.posix.basename(file), cleanText(subject ?? '')]);
  const list = rows.length === 0 ? [] : [renderTable({ columns: ['patch', 'what it does'], rows, screen }), ''];
  const place = `  ${displayPath(folder)}/`;
  if (stopped === null)
    return [
      `${sign('done', screen)} ready  ${what}: one commit for each patch`,
      '',
      ...list,
      `Edit there, and then: bevelstone inputs save ${cleanText(name)}`,
      place,
    ].join('\n');
  const { file, why, left } = stopped;
  return [
    beside(
      `${sign('warning', screen)} stopped  `,
      cleanText(`${file} does not apply: ${why.replaceAll('\n', '; ')}`),
      screen,
    ),
    '',
    ...list,
    'What fits of it is there; the rest is in .rej files beside the files that it was for.',
    'Make those changes by hand, remove the .rej files, and go on with:',
    `  bevelstone inputs edit ${cleanText(name)}`,
    ...(left.length === 0
      ? []
      : [`Not applied yet: ${cleanText(left.map((one) => path.posix.basename(one)).join(', '))}`]),
    place,
  ].join('\n');
}

/** The `result` of `inputs edit --json`. */
export function editedJson(edited: InputEdited): unknown {
  return edited;
}

/** Which patches were written. */
export function renderSaved({ name, folder, written, same, removed, edited }: InputSaved, screen: Screen): string {
  const line = (mark: 'done' | 'nothing', what: string, file: string) =>
    `${sign(mark, screen)} ${what.padEnd(9)}  ${displayPath(path.join(folder, file))}`;
  const lines = [
    ...written.map((file) => line('done', 'written', file)),
    ...removed.map((file) => line('done', 'removed', file)),
    ...same.map((file) => line('nothing', 'unchanged', file)),
  ];
  if (lines.length === 0) return `${sign('nothing', screen)} ${cleanText(name)} has no patches`;
  const note = edited === null ? [] : ['', `What was not committed is in ${path.posix.basename(edited)}`];
  return [...lines, ...note].join('\n');
}

/** The `result` of `inputs save --json`. */
export function savedJson(saved: InputSaved): unknown {
  return saved;
}

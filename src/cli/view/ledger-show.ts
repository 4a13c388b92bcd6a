import { toChangeRecord } from '../../core/history/change-record.ts';
import type { LedgerDeployment } from '../../core/ledger/fold.ts';
import { partialTexts } from '../../core/record/release-record.ts';
import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { ReleaseComparison, ShownRelease } from '../../flow/ledger/ledger-show.ts';
import { blank, type Screen, sign } from './screen.ts';
import { numberColumn, pathColumn, renderTable } from './table.ts';
import { beside } from './wrap.ts';

type Shown = ShownRelease & { readonly page: string | null };

/** All that is on record of one release. */
export function renderShown({ release, changes, surveyed, against, page }: Shown, screen: Screen): string {
  const {
    package: name,
    version,
    date,
    commit,
    source,
    artifacts,
    deliveries,
    withdrawals,
    redirects,
    deployments,
  } = release;
  const { bold, dim } = screen.colours;
  const built =
    commit === source ? commit.slice(0, 12) : `${commit.slice(0, 12)} (${source.slice(0, 12)} plus the new versions)`;
  const counted = changes.filter((change) => change.counted && change.item.weight !== 'none');
  const parts = [
    `${bold(`${cleanText(name)} ${version}`)}  ${date.slice(0, 10)} ${date.slice(11, 16)} UTC${release.isAbandoned ? ', abandoned half-way' : ''}`,
    [
      `    ${dim('from       ')} ${built}`,
      beside(
        `    ${dim('because    ')} `,
        cleanText(
          (release.reasons.length > 0 ? release.reasons : (surveyed?.reasons ?? [])).join('; ') || 'not recorded',
        ),
        screen,
      ),
      `    ${dim('run        ')} ${release.run}`,
      ...partialTexts(artifacts).map((text) => beside(`    ${dim('partial    ')} `, cleanText(text), screen)),
    ].join('\n'),
  ];
  if (counted.length > 0)
    parts.push(
      counted
        .map(({ commit: id, item }) => `    ${dim(id.slice(0, 7))} ${cleanText(`${item.kind ?? ''}: ${item.summary}`)}`)
        .join('\n'),
    );
  parts.push(
    renderTable({
      columns: [pathColumn('artifact'), numberColumn('size'), 'SHA-256', 'delivered to'],
      rows: artifacts.map(({ file, size, sha256 }) => [
        file,
        formatBytes(size),
        sha256.slice(0, 16),
        deliveries
          .filter(({ artifact }) => artifact === file)
          .map(({ destination, state }) => `${destination}${state === 'delivered' ? '' : ` (${state})`}`)
          .join(', ') || blank(screen),
      ]),
      screen,
    }),
  );
  for (const { destination, from, to, at } of redirects)
    parts.push(
      `${sign('warning', screen)} ${cleanText(destination)} was changed on ${at.slice(0, 10)}, while it was released: ${cleanText(from)} -> ${cleanText(to)}`,
    );
  for (const { deployment, target, result, at, by } of deployments)
    parts.push(
      `${sign(result === 'failed' ? 'warning' : 'done', screen)} ${deploymentWords[result]} ${cleanText(deployment)} on ${at.slice(0, 10)} by ${cleanText(by)}: ${cleanText(target)}`,
    );
  for (const { destination, how, reason, at } of withdrawals)
    parts.push(
      `${sign('warning', screen)} ${how} at ${cleanText(destination)} on ${at.slice(0, 10)}: ${cleanText(reason)}`,
    );
  if (against !== null) parts.push(renderComparison(against, screen));
  if (page !== null) parts.push(`  ${cleanText(page)}`);
  return parts.join('\n\n');
}

const deploymentWords: Readonly<Record<LedgerDeployment['result'], string>> = {
  deployed: 'deployed to',
  returned: 'back again at',
  failed: 'deployment failed to',
};

function renderComparison(
  { with: other, artifacts, dependencies, surfaces }: ReleaseComparison,
  screen: Screen,
): string {
  const rows = artifacts.flatMap(({ file, sizeBytes, sizeBytesBefore, entries }) => [
    [file, 'size', `${formatBytes(sizeBytesBefore)} → ${formatBytes(sizeBytes)}`],
    ...entries.added.map((entry) => ['', 'new', entry.path]),
    ...entries.removed.map((entry) => ['', 'gone', entry.path]),
    ...entries.changed.map((changedEntry) => ['', 'changed', `${changedEntry.path} (${changedEntry.what.join(', ')})`]),
  ]);
  const moved = [
    ...dependencies.added.map(({ name, range, kind }) => ['dependency', 'new', `${name} ${range} (${kind})`]),
    ...dependencies.removed.map(({ name, range, kind }) => ['dependency', 'gone', `${name} ${range} (${kind})`]),
    ...dependencies.changed.map(({ name, before, after }) => ['dependency', 'changed', `${name} ${before} → ${after}`]),
  ];
  const names = surfaces.flatMap(({ file, differences, whyNot }) =>
    whyNot !== null
      ? [[file, 'surface', `not compared: ${whyNot}`]]
      : differences.map(({ name, effect, why }) => [file, effect, `${name}: ${why}`]),
  );
  const head = `Since ${cleanText(other.package)} ${other.version}`;
  if (rows.length + moved.length + names.length === 0) return `${head}: the same artifacts and dependencies`;
  return `${head}\n\n${renderTable({ columns: [pathColumn('artifact'), 'what', pathColumn('')], rows: [...rows, ...moved, ...names], screen })}`;
}

/** The `result` of `ledger show --json`. */
export function shownJson({ release, changes, surveyed, against, page }: Shown): unknown {
  const shown = changes.map((change) => toChangeRecord(change, surveyed?.isShifted ?? false));
  return { ...release, changes: shown, against, page };
}

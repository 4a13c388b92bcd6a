import { maxSkewMs } from '../../core/protocol/clock-skew.ts';
import { untestedTexts, writePermission } from '../../core/protocol/untested.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Probe, ProbedDestination, ProbedPackage } from '../../flow/deliver/probe.ts';
import { blank, type Mark, type Screen, signText } from './screen.ts';
import { renderTable } from './table.ts';
import { beside } from './wrap.ts';

/** Destinations side by side: one line each, then one per package and destination. */
export function renderProbe({ destinations, kept }: Probe, screen: Screen): string {
  if (destinations.length === 0) return 'No package has a destination: nothing to probe';
  const rows = destinations.map((destination) => [
    `${signText(markOf(destination), screen)} ${cleanText(destination.name)}`,
    destination.speaks,
    destination.reachable ? 'reachable' : 'not reachable',
    credentialText(destination),
    writingText(destination),
    destination.skewMs === null
      ? blank(screen)
      : Math.abs(destination.skewMs) > maxSkewMs
        ? `${Math.round(destination.skewMs / 60_000)} min off`
        : 'same',
  ]);
  const columns = ['destination', 'speaks', 'connection', 'credential', 'writing', 'clock'];
  const packages = destinations.flatMap(({ name, packages: own }) =>
    own.map((probedPackage) => [
      `${signText(markOfPackage(probedPackage), screen)} ${probedPackage.name}`,
      probedPackage.version ?? blank(screen),
      name,
      probedPackage.nameState === 'unknown' ? 'in use' : probedPackage.nameState,
      probedPackage.version === null
        ? blank(screen)
        : probedPackage.versionState === 'there'
          ? 'used already'
          : probedPackage.versionState,
      probedPackage.opens === 'more'
        ? 'other packages too'
        : probedPackage.opens === 'this package'
          ? 'this package alone'
          : blank(screen),
    ]),
  );
  const titles = ['package', 'version', 'at', 'name', 'the version is', 'token opens'];
  const lines = [screen.colours.bold('Destinations'), '', renderTable({ columns, rows, screen })];
  if (packages.length > 0) lines.push('', renderTable({ columns: titles, rows: packages, screen }));
  lines.push('', ...destinations.flatMap((destination) => detailsOf(destination, screen)));
  lines.push(...untestedLines(destinations, screen));
  if (kept !== null) lines.push('', `The credential is kept in ${cleanText(kept)}`);
  return lines.join('\n');
}

/** Where it is, what the server says of itself, and what is there. */
function detailsOf({ name, url, server, repositories }: ProbedDestination, screen: Screen): string[] {
  const details = [
    ...(server === null ? [] : [`server: ${server}`]),
    ...(repositories.length === 0 ? [] : [`there: ${repositories.join(', ')}`]),
  ];
  return [
    `    ${cleanText(name)} is ${cleanText(url)}`,
    ...details.map((text) => beside('        ', cleanText(text), screen)),
  ];
}

/** What could not be tested, once for all destinations, and what tests it. */
function untestedLines(destinations: readonly ProbedDestination[], screen: Screen): string[] {
  const texts = untestedTexts(destinations);
  if (texts.length === 0) return [];
  const isWriting = destinations.some(({ untested }) => untested.includes(writePermission));
  return [
    '',
    `${signText('warning', screen)} Not tested`,
    ...texts.map((text) => beside('    ', cleanText(text), screen)),
    ...(isWriting ? ['    To test writing, add `probe: write` to a destination'] : []),
  ];
}

function writingText({ write, reachable, credential }: ProbedDestination): string {
  if (!reachable || credential === 'refused' || credential === 'missing') return 'not tested';
  return write === 'tested' ? 'allowed' : 'not tested';
}

function markOf({ reachable, credential, skewMs, untested }: ProbedDestination): Mark {
  if (!reachable || credential === 'refused' || credential === 'missing') return 'refused';
  if (untested.length > 0) return 'warning';
  return skewMs !== null && Math.abs(skewMs) > maxSkewMs ? 'warning' : 'done';
}

function markOfPackage({ nameState, versionState, opens }: ProbedPackage): Mark {
  if (nameState === 'taken' || versionState === 'there') return 'refused';
  return opens === 'more' ? 'warning' : 'done';
}

function credentialText({ credential, why }: ProbedDestination): string {
  if (credential === 'accepted')
    return why === null ? 'accepted' : `accepted${why.startsWith('as ') ? ' ' : ', '}${why}`;
  if (credential === 'unknown') return 'not checked';
  return credential === 'none' ? 'none given' : credential;
}

/** The `result` of `probe --json`. */
export function probeJson({ destinations, kept }: Probe): unknown {
  return { destinations, kept };
}

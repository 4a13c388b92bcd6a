import type { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Confirmed } from '../../flow/trial/confirm.ts';
import type { Rehearsal, TriedRelease } from '../../flow/trial/rehearse.ts';
import type { TrialStep } from '../../flow/trial/trial.ts';
import { blank, type Mark, type Screen, signText } from './screen.ts';
import { renderTable } from './table.ts';

const marks: Readonly<Record<TrialStep['state'], Mark>> = {
  installed: 'done',
  unpacked: 'done',
  visible: 'done',
  delivered: 'warning',
  failed: 'refused',
  'not-here': 'nothing',
};

/** What a new user would see, before any upload. */
export function renderRehearsal({ releases, everyone }: Rehearsal, screen: Screen): string {
  const rows = [...rowsOf(releases, screen), ...everyone.map((step) => row('all together', step, screen))];
  return [screen.colours.bold('Rehearsal'), '', table(rows, screen), '', 'Nothing left this machine.'].join('\n');
}

/** What a stranger sees by now. */
export function renderConfirmed({ releases }: Confirmed, screen: Screen): string {
  if (releases.length === 0) return 'The ledger is empty: nothing to confirm';
  return [screen.colours.bold('Confirmed from outside'), '', table(rowsOf(releases, screen), screen)].join('\n');
}

function table(rows: readonly (readonly string[])[], screen: Screen): string {
  const columns = ['', 'release', 'from', 'client', 'with'];
  return renderTable({ columns, rows, screen });
}

function rowsOf(releases: readonly TriedRelease[], screen: Screen): string[][] {
  return releases.flatMap(({ package: name, version, steps }) =>
    steps.map((step) => row(`${name} ${version}`, step, screen)),
  );
}

function row(what: string, { client, version, destination, state }: TrialStep, screen: Screen): string[] {
  const word = state === 'not-here' ? 'not here' : state;
  return [
    `${signText(marks[state], screen)} ${word}`,
    what,
    destination,
    client,
    version === '' ? blank(screen) : version,
  ];
}

/** The `result` of `rehearse --json` and `confirm --json`. */
export function triedJson({
  releases,
  ...rest
}: {
  readonly releases: readonly TriedRelease[];
  readonly error: BevelstoneError | null;
  readonly everyone?: readonly TrialStep[];
}): unknown {
  return rest.everyone === undefined ? { releases } : { releases, everyone: rest.everyone };
}

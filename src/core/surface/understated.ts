import { BevelstoneError } from '../error/bevelstone-error.ts';
import type { SurfaceCheck } from './check.ts';
import { type Difference, placeText, type SurfacePlace } from './surface.ts';

/** Whether a version is too small, and that is refused. */
export function isRefused({ setting, compared }: SurfaceCheck): boolean {
  return setting === 'refuse' && compared?.judgement.isUnderstated === true;
}

/** The error for versions that are too small where that is refused; null for none. */
export function understated(checks: readonly SurfaceCheck[]): BevelstoneError | null {
  const refused = checks.filter(isRefused);
  const [first] = refused;
  if (first === undefined) return null;
  const { needed, counted } = first.compared?.judgement ?? { needed: 'major' as const, counted: [] };
  const name = worstOf(first)[0]?.name ?? counted[0]?.name ?? 'NAME';
  return new BevelstoneError('SURFACE_UNDERSTATED', {
    message: refused.length === 1 ? tooSmall(first) : `${refused.length} versions are too small for what changed`,
    why: 'an update that looks safe by its number would not be (SemVer 2.0.0, items 6 to 8)',
    fix: [
      needed === 'major' ? 'Restore what users had' : 'Leave the new names for a later release',
      `raise the version: ${raiseCommands[needed]}`,
      'say in `history.amend` what the commit really does',
      `or accept it, in \`packages.${first.package}.surface.exceptions\`: { name: "${name}", reason: "…" }`,
    ].join('; '),
    problems: refused.flatMap(problemsOf),
  });
}

const raiseCommands = {
  major: 'bevelstone release --raise major --because "…"',
  minor: 'bevelstone release --raise minor --because "…"',
  patch: 'bevelstone release --raise patch --because "…"',
  none: 'bevelstone release --raise patch --because "…"',
} as const;

/** That a version is too small, and which one would do. */
export function tooSmall(check: SurfaceCheck): string {
  const { package: name, version, last, compared } = check;
  const breaking = worstOf(check).filter(({ effect }) => effect === 'breaking').length;
  const added = worstOf(check).length - breaking;
  const what =
    breaking > 0
      ? `${breaking} ${breaking === 1 ? 'change breaks' : 'changes break'} users of ${last}`
      : `${added} public ${added === 1 ? 'name is' : 'names are'} new since ${last}`;
  return `${name} ${version} is too small: ${what}, so it must be at least ${compared?.judgement.smallest ?? version}`;
}

/** The differences that the version is too small for. */
function worstOf({ compared }: SurfaceCheck): readonly Difference[] {
  const counted = compared?.judgement.counted ?? [];
  const worst = counted.some(({ effect }) => effect === 'breaking') ? 'breaking' : 'addition';
  return counted.filter(({ effect }) => effect === worst);
}

function problemsOf(check: SurfaceCheck) {
  return worstOf(check).map(({ name, entry, why, oldPlace, newPlace }) => ({
    code: 'SURFACE_UNDERSTATED' as const,
    message: `${entry === '.' || entry === name ? '' : `${entry}: `}${name}: ${why}`,
    fix: placesText(check.artifact, oldPlace, newPlace),
    where: null,
  }));
}

function placesText(artifact: string, old: SurfacePlace | null, now: SurfacePlace | null): string {
  const parts = [
    ...(old === null ? [] : [`before: ${placeText(old)}`]),
    ...(now === null ? [] : [`now: ${placeText(now)}`]),
  ];
  return `${artifact}, ${parts.join(', ')}`;
}

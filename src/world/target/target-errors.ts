import { BevelstoneError } from '../../core/error/bevelstone-error.ts';

/** The error for what a target does not do. */
export function targetRefused({
  where,
  path,
  why,
  cause,
}: {
  readonly where: string;
  readonly path: string;
  readonly why: string;
  readonly cause?: unknown;
}): BevelstoneError {
  return new BevelstoneError('TARGET_REFUSED', {
    message: `${where} refused ${path}`,
    why,
    fix: 'Check the permissions and the free space there, then run the same command again',
    where: { file: path },
    ...(cause === undefined ? {} : { cause }),
  });
}

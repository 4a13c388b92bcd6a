import { BevelstoneError } from '../error/bevelstone-error.ts';

/** The error for a form whose contents only the maintainer knows. */
export function contentsNeeded(packageName: string, form: string, usual: readonly string[]): BevelstoneError {
  return new BevelstoneError('CONTENTS_NEEDED', {
    message: `no \`files\` for the ${form} of ${packageName}`,
    why:
      usual.length === 0
        ? 'this form has no usual contents'
        : `there is none of ${usual.join(', ')} after the build steps`,
    fix: 'Add `files` to the artifact, or let a build step fill one of these folders',
    where: { file: 'bevelstone.yaml' },
  });
}

import { parse } from 'yaml';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import { objectOf } from './fields.ts';

/** The mapping that a YAML file holds. @throws MANIFEST_INVALID */
export function parseYaml(text: string, file: string): Readonly<Record<string, unknown>> {
  try {
    // Aliases could make a small file huge.
    return objectOf(parse(text, { maxAliasCount: 100, logLevel: 'error' }));
  } catch (cause) {
    if (!(cause instanceof Error)) throw cause;
    throw new BevelstoneError('MANIFEST_INVALID', {
      message: `${file} cannot be read`,
      why: cause.message.split('\n')[0] ?? '',
      fix: 'Correct the file and commit it',
      where: { file },
      cause,
    });
  }
}

import { LineCounter, YAMLParseError } from 'yaml';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import { formatBytes } from '../text/bytes.ts';
import { usualLimits } from '../text/limits.ts';
import { composeYaml } from '../text/yaml.ts';
import { objectOf } from './fields.ts';

/** The mapping that a YAML file holds. @throws MANIFEST_INVALID, also for one that is too large or nested too deep. */
export function parseYaml(text: string, file: string, mostBytes = usualLimits.yaml): Readonly<Record<string, unknown>> {
  if (text.length > mostBytes) throw invalid(file, `it has more than ${formatBytes(mostBytes)} of YAML`);
  const lines = new LineCounter();
  try {
    const document = composeYaml(text, { lineCounter: lines });
    const [error] = document.errors;
    if (error !== undefined) throw error;
    // Aliases could make a small file huge.
    return objectOf(document.toJS({ maxAliasCount: 100 }));
  } catch (cause) {
    if (!(cause instanceof Error)) throw cause;
    const place = cause instanceof YAMLParseError ? lines.linePos(cause.pos[0]) : null;
    throw invalid(file, cause.message.split('\n')[0] ?? '', { cause, ...(place === null ? {} : { place }) });
  }
}

function invalid(
  file: string,
  why: string,
  { cause, place }: { readonly cause?: unknown; readonly place?: { readonly line: number; readonly col: number } } = {},
): BevelstoneError {
  return new BevelstoneError('MANIFEST_INVALID', {
    message: `${file} cannot be read`,
    why,
    fix: 'Correct the file and commit it',
    where: { file, ...(place === undefined ? {} : { line: place.line, column: place.col }) },
    ...(cause === undefined ? {} : { cause }),
  });
}

import type { ExceptionConfig } from '../config/config.ts';
import { insidePath } from '../form/artifact.ts';
import { globMatcher } from '../text/glob.ts';

/** Whether an exception is meant for what a rule found at a path; one without a path is for all that the rule finds. */
export function isExcepted({
  exception,
  rule,
  path,
  prefix,
}: {
  readonly exception: ExceptionConfig;
  readonly rule: string;
  readonly path: string | null;
  readonly prefix: string;
}): boolean {
  if (exception.rule !== rule) return false;
  if (exception.path === null) return true;
  if (path === null) return false;
  const candidates = [path, insidePath(path, prefix)];
  return candidates.some((candidate) => candidate === exception.path || globMatcher([exception.path ?? ''])(candidate));
}

import type { Subject } from './destination.ts';

/** Fills `{package}`, `{name}` and `{version}` into a template of a place. */
export function fill(
  template: string,
  { packageName, name, version }: Pick<Subject, 'packageName' | 'name' | 'version'>,
): string {
  return template.replaceAll('{package}', packageName).replaceAll('{name}', name).replaceAll('{version}', version);
}

/** Fills `{package}`, `{name}` and `{version}` into a template of a place. */
export function fill(
  template: string,
  { packageName, name, version }: { readonly packageName: string; readonly name: string; readonly version: string },
): string {
  return template.replaceAll('{package}', packageName).replaceAll('{name}', name).replaceAll('{version}', version);
}

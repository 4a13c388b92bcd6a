/** What a probe says it could not test where nothing shows that files may be written. */
export const writePermission = 'write permission';

/** The same where nothing shows that the address itself is right. */
export const theAddress = 'the address';

/** The same where only an upload shows whether a credential that is known may publish this package. */
export const packageRight = 'the right to publish this package';

/** The same of an object store, which may write on conditions or not. */
export const conditionalWrites = 'conditional writes';

/** What probes could not test, each with the destinations: `write permission at office, registry`. */
export function untestedTexts(
  destinations: readonly { readonly name: string; readonly untested: readonly string[] }[],
): string[] {
  const all = [...new Set(destinations.flatMap(({ untested }) => untested))];
  return all.map((what) => {
    const names = destinations.filter(({ untested }) => untested.includes(what)).map(({ name }) => name);
    return `${what} at ${names.join(', ')}`;
  });
}

/**
 * Conditions that runtimes, bundlers and compilers set by themselves (Node.js, "Community Conditions Definitions", and their own
 * documents). Any other is set by those who know of it: most often the package's own developers.
 */
const known: ReadonlySet<string> = new Set(
  (
    'default import require node node-addons module-sync types browser module production development style sass svelte vue ' +
    'solid react-server react-native worker worklet serviceworker deno bun workerd edge-light edge-routine netlify electron ' +
    'electron-main electron-renderer fastly wintercg moddable script esmodules umd asset webpack nwjs rollup parcel'
  ).split(' '),
);

/** Whether a target behind these keys of `exports` or `imports` is taken by consumers that set nothing. */
export function isPublicTarget(keys: readonly string[], field: string): boolean {
  const conditions = keys.filter((key) => !/^[.#]/.test(key) && !/^\d+$/.test(key));
  return conditions.every(
    (condition) =>
      (known.has(condition) || condition.startsWith('types@')) && !(field === 'imports' && condition === 'development'),
  );
}

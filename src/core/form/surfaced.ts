import type { Form } from '../name/form.ts';
import { formDefinitions } from './definitions.ts';

/** Of the artifacts of one release, those whose public surface counts: a form that repeats another one's is left out, and parts. */
export function withSurface<T extends { readonly form: Form; readonly partial?: unknown }>(
  artifacts: readonly T[],
): T[] {
  const forms = new Set(artifacts.map(({ form }) => form));
  return artifacts.filter(({ form, partial }) => {
    if (partial !== undefined) return false;
    const { surface, surfaceLike } = formDefinitions[form];
    return surface !== null && (surfaceLike === null || !forms.has(surfaceLike));
  });
}

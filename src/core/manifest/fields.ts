/** A text field, or null when it is missing, empty or of another type. */
export function textOf(value: unknown): string | null {
  return typeof value === 'string' && value.trim() !== '' ? value : null;
}

/** Any value as text. An object has none that is of use, and converting one from outside may fail. */
export function shownText(value: unknown): string {
  if (Array.isArray(value)) return value.map(shownText).join(',');
  return typeof value === 'object' && value !== null ? '(an object)' : String(value);
}

/** An object's fields, none when it is not an object. */
export function objectOf(value: unknown): Readonly<Record<string, unknown>> {
  return typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Record<string, unknown>) : {};
}

/** The objects of a list, none when it is not a list. */
export function objectsOf(value: unknown): Readonly<Record<string, unknown>>[] {
  return Array.isArray(value) ? value.map(objectOf) : [];
}

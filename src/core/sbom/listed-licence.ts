import deprecated from 'spdx-license-ids/deprecated.json' with { type: 'json' };
import current from 'spdx-license-ids/index.json' with { type: 'json' };

const listed: ReadonlySet<string> = new Set([...current, ...deprecated]);

/** Whether a text is one identifier of the SPDX licence list, old ones included. */
export function isListedLicence(text: string): boolean {
  return listed.has(text);
}

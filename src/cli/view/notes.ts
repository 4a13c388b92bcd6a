import type { Notes } from '../../flow/survey/notes.ts';
import { displayPath } from './display-path.ts';
import { type Screen, sign } from './screen.ts';

/** The notes as they are, and last what was written. */
export function renderNotes(notes: Notes, screen: Screen, asJson: boolean): string {
  const { releases, text, written } = notes;
  if (asJson) return JSON.stringify(notesJson(notes), null, 2);
  const lines = written.map((file) => `${sign('done', screen)} written  ${displayPath(file)}`);
  if (releases.length === 0) return `${sign('nothing', screen)} nothing to tell: no package has anything to release`;
  return [text.trimEnd(), ...(lines.length > 0 ? ['', ...lines] : [])].join('\n');
}

/** The `result` of `notes --json`. */
export function notesJson({ releases, written }: Notes): unknown {
  return {
    releases: releases.map(({ notes, text }) => ({
      package: notes.package,
      version: notes.version,
      date: notes.date,
      sections: notes.sections,
      contributors: notes.contributors,
      text,
    })),
    written,
  };
}

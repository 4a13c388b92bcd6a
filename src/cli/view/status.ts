import { cleanText } from '../../core/text/clean.ts';
import type { Status } from '../../flow/ledger/status.ts';
import { displayPath } from './display-path.ts';
import { blank, type Screen, sign } from './screen.ts';
import { renderTable } from './table.ts';

/** Where things stand, and the next sensible command as the last line. */
export function renderStatus({ commit, branch, run, last, built, waiting, next }: Status, screen: Screen): string {
  const { bold } = screen.colours;
  const where = branch === null ? 'on no branch' : `on ${cleanText(branch)}`;
  const parts = [bold(`At ${commit.slice(0, 7)} ${where}`)];
  if (run !== null) {
    const what = run.isPublic ? 'its tags may already be public' : 'nothing of it is public';
    parts.push(`${sign('warning', screen)} unfinished release ${run.id}; ${what}`);
  }
  const names = [...new Set([...waiting, ...last].map((item) => item.package))];
  if (names.length > 0) {
    const rows = names.map((name) => {
      const known = last.filter((item) => item.package === name).map(lastText);
      const folder = built.find((item) => item.package === name);
      return [
        name,
        known.join('; ') || blank(screen),
        waiting.find((item) => item.package === name)?.version ?? blank(screen),
        folder === undefined ? blank(screen) : displayPath(folder.folder),
      ];
    });
    parts.push(
      renderTable({
        columns: ['package', 'last on record', 'next', 'built for this commit'],
        rows,
        screen,
      }),
    );
  }
  parts.push(`  Next: ${next}`);
  return parts.join('\n\n');
}

/** A release of another stream than the stable one is named with it. */
function lastText({ version, date, stream, withdrawn }: Status['last'][number]): string {
  const where = stream === 'stable' ? '' : `${cleanText(stream)} `;
  const back = withdrawn.length === 0 ? '' : `, withdrawn from ${withdrawn.map(cleanText).join(', ')}`;
  return `${where}${version}, ${date.slice(0, 10)}${back}`;
}

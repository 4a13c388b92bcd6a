import { destinationsOf } from '../../core/config/config.ts';
import { keptForms, refusesRelease, takesForm } from '../../core/plan/delivery-plan.ts';
import { shellWord } from '../../core/text/shell-word.ts';
import { type Context, quietly } from '../context.ts';
import { localReleases } from '../ledger-record/ledger.ts';
import type { Survey } from '../survey/survey.ts';

/** Commands that deliver the last releases to destinations of their packages that do not have them. */
export async function missingDeliveries(context: Context, { packages, workspace }: Survey): Promise<string[]> {
  const { repository, config } = workspace;
  const folders = packages.flatMap(({ name, last }) => (last === null ? [] : [`${name}/${last.version}`]));
  if (folders.length === 0) return [];
  const releases = await localReleases(quietly(context), repository, { folders });
  return packages.flatMap(({ name, last, own }) => {
    const release = releases.find((known) => known.package === name && known.version === last?.version);
    if (release === undefined) return [];
    const kept = keptForms(own.config);
    const from = release.deliveries.find(({ state }) => state !== 'withdrawn')?.destination;
    return destinationsOf(own.config).flatMap((to) => {
      const destination = config.destinations[to];
      if (destination === undefined || refusesRelease(destination, release.about) !== null) return [];
      const isThere = release.deliveries.some((delivery) => delivery.destination === to);
      if (isThere || !release.planned.some(({ form }) => takesForm(destination, form) && !kept.has(form))) return [];
      if (from === undefined) return [`bevelstone publish -p ${shellWord(name)}`];
      return [
        `bevelstone promote ${shellWord(`${name}@${release.version}`)} --from ${shellWord(from)} --to ${shellWord(to)}`,
      ];
    });
  });
}

import type { Origin } from '../../core/contents/entry.ts';
import { partialTexts } from '../../core/record/release-record.ts';
import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Build } from '../../flow/build/build.ts';
import type { BuildFromPlan, BuiltFrom } from '../../flow/build/build-from.ts';
import { displayPath } from './display-path.ts';
import { blank, type Screen, sign } from './screen.ts';
import { numberColumn, pathColumn, renderTable } from './table.ts';
import { beside } from './wrap.ts';

/** What was built and where it lies; paths and sizes come last. */
export function renderBuild(build: Build | BuiltFrom, screen: Screen): string {
  if ('release' in build) return renderBuiltFrom(build, screen);
  if (build.selections !== null) return renderSelections(build.selections, screen);
  const { commit, releases, resting, twice, sent } = build;
  const { colours } = screen;
  const parts = resting.map(({ name, reasons }) =>
    beside(`${sign('nothing', screen)} nothing to build  `, cleanText(`${name}: ${reasons.join('; ')}`), screen),
  );
  if (releases.length === 0) return [...parts, `Nothing was built from ${commit.slice(0, 7)}`].join('\n');
  const { rows, columns } = artifactTable(releases);
  const isPreview = releases.some(({ version }) => version.includes('.uncommitted.'));
  const from = isPreview ? 'the working folder on top of' : 'a fresh checkout of';
  const places = releases.map(({ folder }) => `  ${displayPath(folder)}/`);
  const blocks = [
    parts.join('\n'),
    `${colours.bold('Built')} from ${from} ${commit.slice(0, 7)}`,
    renderTable({ columns, rows, screen }),
    partialTexts(releases.flatMap(({ artifacts }) => artifacts))
      .map((text) => beside('  partial  ', cleanText(text), screen))
      .join('\n'),
    renderPending(releases, screen),
    renderTwice(twice, rows.length, screen),
    ...(sent === undefined
      ? []
      : [
          `${sign('done', screen)} sent  for other machines, to ${cleanText(sent.store)}: bevelstone gather --from ${cleanText(sent.store)} --at ${commit.slice(0, 12)}`,
        ]),
    places.join('\n'),
  ];
  return blocks.filter((block) => block !== '').join('\n\n');
}

function artifactTable(releases: Build['releases']) {
  const rows = releases.flatMap(({ artifacts, package: name, version }) =>
    artifacts.map(({ file, size, entries, sha256 }, index) => [
      index === 0 ? `${name} ${version}` : '',
      file,
      formatBytes(size),
      String(entries),
      sha256.slice(0, 8),
    ]),
  );
  const columns = ['release', pathColumn('artifact'), numberColumn('size'), numberColumn('entries'), 'sha256'];
  return { rows, columns };
}

/** What runs when somebody else's archive is built, before the question. */
export function renderFromPlan({ source, sha256, isExpected, about }: BuildFromPlan, screen: Screen): string {
  const { package: name, version, commit, steps, tools } = about;
  const digest = isExpected ? 'as asked for' : 'compare it with what you were told';
  return [
    screen.colours.bold(cleanText(`About to build ${name} ${version} (commit ${commit.slice(0, 12)})`)),
    '',
    beside('  from    ', cleanText(source), screen),
    `  sha256  ${sha256}`,
    `          ${digest}`,
    ...(tools.length === 0 ? [] : [beside('  tools   ', cleanText(tools.map((tool) => tool.name).join(', ')), screen)]),
    ...(steps.length === 0 ? ['  steps   none'] : steps.map(({ run }) => beside('  runs    ', cleanText(run), screen))),
    '',
  ].join('\n');
}

function renderBuiltFrom({ release, commit, source }: BuiltFrom, screen: Screen): string {
  const { rows, columns } = artifactTable([release]);
  const head = `Built from ${cleanText(source)}, commit ${commit.slice(0, 7)}`;
  return [
    screen.colours.bold(head),
    rows.length === 0 ? 'No artifact for this machine' : renderTable({ columns, rows, screen }),
    renderPending([release], screen),
    `  ${displayPath(release.folder)}/`,
  ]
    .filter((block) => block !== '')
    .join('\n\n');
}

/** What was left to other machines, and why: one line per package and platform. */
function renderPending(releases: Build['releases'], screen: Screen): string {
  return releases
    .flatMap(({ package: name, pending }) => {
      const platforms = [...new Set(pending.map(({ platform }) => platform))];
      return platforms.map((platform) => {
        const own = pending.filter((pendingArtifact) => pendingArtifact.platform === platform);
        const forms = own.map(({ form }) => form).join(' and ');
        return beside(
          `${sign('nothing', screen)} pending  `,
          `${cleanText(`${name} ${forms} for ${platform}`)}\n${cleanText(own[0]?.why ?? '')}`,
          screen,
        );
      });
    })
    .join('\n');
}

function renderTwice(twice: Build['twice'], artifacts: number, screen: Screen): string {
  if (twice === null) return '';
  if (twice.same) {
    const count = `${artifacts} ${artifacts === 1 ? 'artifact' : 'artifacts'}`;
    return `${sign('done', screen)} same  built twice in different folders: ${count} identical`;
  }
  return twice.differences
    .slice(0, 20)
    .map(
      ({ artifact, entry, what }) =>
        `${sign('refused', screen)} differs  ${cleanText(`${artifact}${entry === null ? '' : `, ${entry}`}: ${what}`)}`,
    )
    .join('\n');
}

function renderSelections(selections: NonNullable<Build['selections']>, screen: Screen): string {
  const blocks = selections.flatMap(({ package: name, version, artifacts }) =>
    artifacts.map(({ file, form, platform, entries }) => {
      const kind = `${form}${platform === null ? '' : ` for ${platform}`}`;
      const title = `${screen.colours.bold(cleanText(file))}  ${cleanText(name)} ${version}, ${kind}`;
      const rows = entries.map(({ path, size, mode, origin }) => [
        mode,
        size === null ? blank(screen) : formatBytes(size),
        path,
        originText(origin, path, screen),
      ]);
      const columns = ['mode', numberColumn('size'), pathColumn('path'), pathColumn('from')];
      const total = entries.reduce((sum, { size }) => sum + (size ?? 0), 0);
      return [
        title,
        '',
        renderTable({ columns, rows, screen }),
        '',
        `  ${entries.length} entries, ${formatBytes(total)} unpacked`,
      ].join('\n');
    }),
  );
  return blocks.length === 0 ? 'Nothing to build' : blocks.join('\n\n');
}

function originText(origin: Origin, path: string, screen: Screen): string {
  if (origin.type === 'step') return `step \`${origin.step}\``;
  if (origin.type === 'input') return `input ${origin.input}`;
  if (origin.type === 'generated') return 'generated';
  if (origin.stamped) return `${origin.path}, with the new version`;
  return origin.path.endsWith(`/${path}`) || origin.path === path ? blank(screen) : origin.path;
}

/** The `result` of `build --json`. */
export function buildJson(build: Build | BuiltFrom): unknown {
  if ('release' in build) {
    const { source, sha256, commit, release } = build;
    return { commit, dirty: false, releases: [release], twice: null, from: { source, sha256 } };
  }
  const { commit, dirty, releases, twice, selections, sent } = build;
  return {
    commit,
    dirty,
    releases,
    twice,
    ...(selections === null ? {} : { selections }),
    ...(sent === undefined ? {} : { sent }),
  };
}

import path from 'node:path';
import { cleanLines, cleanText } from '../../core/text/clean.ts';
import { type Demo, installedFromGit } from '../../flow/demo/demo.ts';
import { renderLedger } from './ledger.ts';
import { renderCard, renderReleased } from './release.ts';
import { type Screen, sign } from './screen.ts';
import { renderSurvey } from './survey.ts';
import { renderGitVerification } from './verify-git.ts';

/** Each command of the way with what it printed, and last what a stranger got. */
export function renderDemo(demo: Demo, screen: Screen): string {
  const { colours } = screen;
  const step = (command: string, text: string) => `${colours.cyan('$')} ${colours.bold(command)}\n${text}`;
  const visit =
    demo.visit.type === 'installed'
      ? [
          step(
            'npm install tidemark gauges',
            `${sign('done', screen)} installed  by ${demo.visit.client} in an empty folder`,
          ),
          step('node tide-table.mjs', cleanLines(demo.visit.printed)),
        ]
      : [step('npm install tidemark gauges', `${sign('nothing', screen)} skipped  ${demo.visit.why}`)];
  return [
    step('bevelstone survey', renderSurvey({ ...demo.survey, surfaces: [] }, screen, false)),
    ...skippedLines(demo, screen),
    step(
      ['bevelstone release', ...demo.without.map((platform) => `--without ${platform}`)].join(' '),
      [
        demo.released.card === null ? '' : renderCard(demo.released.card, screen),
        renderReleased(demo.released, screen),
      ].join('\n'),
    ),
    step('bevelstone ledger list', renderLedger(demo.ledger, screen)),
    ...visit,
    step(
      ['bevelstone verify --git', ...installedFromGit.map((name) => `-p ${name}`)].join(' '),
      renderGitVerification(demo.fromGit, screen),
    ),
    `To continue by hand, in ${cleanText(demo.folder)}:`,
    [
      `  bevelstone standin --port ${new URL(demo.office).port} --store ${cleanText(demo.store)} --token file:${cleanText(path.join(demo.store, 'token'))} &`,
      `  bevelstone standin --port ${new URL(demo.supplies.url).port} --store ${cleanText(demo.supplies.store)} --token file:${cleanText(path.join(demo.store, 'token'))} &`,
      `  export TIDE_SUPPLIES=${demo.supplies.url}`,
      `  export TIDE_OFFICE=${demo.office} TIDE_OFFICE_URL=${demo.office}node/`,
      `  export TIDE_OFFICE_TOKEN=$(cat ${cleanText(path.join(demo.store, 'token'))})`,
      `  export BEVELSTONE_TRUST=${new URL(demo.office).origin}`,
      '  bevelstone confirm',
      '  bevelstone ledger lines tidemark',
    ].join('\n'),
  ].join('\n\n');
}

function skippedLines({ missing }: Demo, screen: Screen): string[] {
  if (missing.length === 0) return [];
  return [
    missing
      .map(
        (missingTool) =>
          `${sign('nothing', screen)} skipped  ${cleanText(`${missingTool.package}: ${missingTool.why}`)}`,
      )
      .join('\n'),
  ];
}

/** The `result` of `demo --json`. */
export function demoJson({ folder, store, missing, released, visit, fromGit }: Demo): unknown {
  return { folder, store, skipped: missing, releases: released.releases, visit, fromGit };
}

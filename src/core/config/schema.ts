import Joi from 'joi';
import { weights } from '../history/weight.ts';
import { ruleIds } from '../rule/rule-id.ts';
import { parseBytes } from '../text/bytes.ts';
import { isVersion } from '../version/version.ts';
import type {
  ArtifactConfig,
  Config,
  ContentsConfig,
  DestinationConfig,
  HistoryConfig,
  LinksConfig,
  NotesConfig,
  PackageConfig,
  StepConfig,
  VerifyConfig,
  WriteBackConfig,
} from './config.ts';

// The one place for keys and defaults. An unknown key is an error (Joi's way); `convert: false` keeps "5" from being 5.

const weight = () => Joi.string().valid(...weights);
const texts = () => Joi.array().items(Joi.string());
const record = (value: Joi.Schema) => Joi.object().pattern(Joi.string(), value);

/** One text or a list of texts, as a list. */
const oneOrMore = () =>
  Joi.alternatives().conditional(Joi.array(), {
    // biome-ignore lint/suspicious/noThenProperty: Joi's own word
    then: texts().min(1),
    otherwise: Joi.string().custom((text: string) => [text]),
  });

const version = () =>
  Joi.string().custom((text: string, helpers) =>
    isVersion(text) ? text : helpers.message({ custom: `{{#label}} is no version such as 1.4.0` }),
  );

const size = () =>
  Joi.string().custom(
    (text: string, helpers) => parseBytes(text) ?? helpers.message({ custom: `{{#label}} is no size such as 200 kB` }),
  );

const pattern = () =>
  Joi.string().custom((text: string, helpers) => {
    try {
      new RegExp(text);
      return text;
    } catch {
      return helpers.message({ custom: `{{#label}} is no regular expression` });
    }
  });

const relativeFolder = () =>
  Joi.string().custom((text: string, helpers) =>
    text.startsWith('/') || text.split('/').includes('..')
      ? helpers.message({ custom: `{{#label}} must stay inside the repository` })
      : text,
  );

const breaking = () => Joi.alternatives(Joi.string(), Joi.boolean());

const amendment = () =>
  Joi.object({
    ignore: Joi.boolean(),
    kind: Joi.string(),
    scope: Joi.string(),
    summary: Joi.string(),
    breaking: breaking(),
    changes: Joi.array().items(
      Joi.object({
        kind: Joi.string().required(),
        scope: Joi.string(),
        summary: Joi.string().required(),
        breaking: breaking(),
      }),
    ),
  });

const defaultWeights: HistoryConfig['weights'] = { breaking: 'major', feat: 'minor', fix: 'patch' };

const history = () =>
  Joi.object({
    tag: oneOrMore().default(null),
    first: version().default('0.1.0'),
    'below-one': Joi.string().valid('shift', 'keep').default('shift'),
    weights: record(weight())
      .custom((named: HistoryConfig['weights']) => ({ ...defaultWeights, ...named }))
      .default(defaultWeights),
    unmarked: Joi.string().valid('none', 'patch', 'refuse').default('none'),
    patterns: Joi.array()
      .items(Joi.object({ match: pattern().required(), kind: Joi.string().required() }))
      .default([]),
    amend: Joi.object()
      .pattern(/^[0-9a-f]{4,64}$/i, amendment())
      .default({}),
  }).default();

const defaultSections: NotesConfig['sections'] = {
  feat: 'Added',
  fix: 'Fixed',
  perf: 'Faster',
  security: 'Security',
  revert: 'Taken back',
};

const linkTemplate = (placeholder: string) =>
  Joi.string().custom((text: string, helpers) =>
    /^https?:\/\//.test(text) && text.includes(`{${placeholder}}`)
      ? text
      : helpers.message({ custom: `{{#label}} is no address with {${placeholder}} in it` }),
  );

const links = () =>
  Joi.object<LinksConfig>({
    commit: linkTemplate('commit').default(null),
    issue: linkTemplate('issue').default(null),
  }).default();

const notes = () =>
  Joi.object<NotesConfig>({
    sections: record(Joi.string())
      .custom((named: NotesConfig['sections']) => ({ ...defaultSections, ...named }))
      .default(defaultSections),
  }).default();

const writeBack = () => Joi.object<WriteBackConfig>({ changelog: relativeFolder().default('CHANGELOG.md') }).default();

const stream = () =>
  Joi.object({
    from: Joi.alternatives(Joi.string(), texts().min(1)).required(),
    only: Joi.string(),
    identifier: Joi.string().pattern(/^[A-Za-z][0-9A-Za-z-]*$/, 'a word of letters, digits and hyphens'),
    spell: Joi.string().valid('alpha', 'beta', 'rc'),
    count: Joi.string().valid('releases', 'commits'),
    look: Joi.boolean(),
  }).oxor('only', 'identifier', 'look');

const defaultStreams = {
  stable: { from: ['main', 'master'] },
  maintained: { from: 'line/*', only: '{1}' },
  look: { from: '*', look: true },
};

const step = () =>
  Joi.alternatives().conditional(Joi.object(), {
    // biome-ignore lint/suspicious/noThenProperty: Joi's own word
    then: Joi.object<StepConfig>({
      name: Joi.string().default(Joi.ref('run')),
      run: Joi.string().required(),
      in: relativeFolder().default('.'),
      env: record(Joi.string()).default({}),
    }),
    otherwise: Joi.string().custom((run: string) => ({ name: run, run, in: '.', env: {} })),
  });

const contents = () =>
  Joi.object<ContentsConfig>({
    from: relativeFolder().required(),
    to: relativeFolder().default(null),
    only: texts().default([]),
    except: texts().default([]),
    mode: Joi.string().valid('0644', '0755').default(null),
  });

const artifact = () =>
  Joi.object<ArtifactConfig>({
    form: Joi.string().valid('npm-tarball', 'tar.gz').required(),
    name: Joi.string()
      .pattern(/^[^/\\]+$/, 'a file name')
      .default(null),
    contents: Joi.array().items(contents()).min(1).default(null),
  });

const verify = () =>
  Joi.object<VerifyConfig>({
    require: texts().default([]),
    forbid: texts().default([]),
    largest: size().default(null),
    rules: Joi.object(
      Object.fromEntries(ruleIds.map((id) => [id, Joi.string().valid('refuse', 'warn', 'note', 'off')])),
    ).default({}),
  }).default();

const packageEntry = () =>
  Joi.object<PackageConfig>({
    folder: relativeFolder().default('.'),
    ecosystem: Joi.string().valid('node', 'python', 'jvm', 'dotnet', 'rust', 'go', 'native', 'plain').default(null),
    also: texts().default([]),
    tag: oneOrMore().default(null),
    build: Joi.array().items(step()).default([]),
    artifacts: Joi.array().items(artifact()).default([]),
    verify: verify(),
    're-exports': texts().default([]),
    'send-to': texts().default([]),
  });

const reference = () =>
  Joi.string().pattern(/^(?:none|env:[A-Za-z_][A-Za-z0-9_]*|file:.+)$/, 'none, env:NAME or file:PATH');

const url = () =>
  Joi.string().custom((text: string, helpers) => {
    if (!/^https?:\/\//.test(text)) return text;
    const parsed = URL.canParse(text) ? new URL(text) : null;
    if (parsed === null) return helpers.message({ custom: '{{#label}} is no address' });
    if (parsed.username === '' && parsed.password === '') return text;
    return helpers.message({ custom: '{{#label}} holds a user or password, which belong into `credential`' });
  });

const destination = () =>
  Joi.object<DestinationConfig>({
    speaks: Joi.string().valid('npm-registry', 'folder').required(),
    url: url().required(),
    credential: reference().default('none'),
    takes: texts().default(null),
    streams: texts().default(null),
    under: Joi.string().default('{package}/{version}'),
    access: Joi.string().valid('public', 'restricted').default(null),
  });

/** The schema of bevelstone.yaml. */
export function configSchema(): Joi.ObjectSchema<Config> {
  return Joi.object<Config>({
    schema: Joi.number().valid(1).required(),
    bevelstone: Joi.string().default(null),
    supplier: Joi.string().default(null),
    output: relativeFolder().default('bevelstone-out'),
    links: links(),
    notes: notes(),
    'write-back': writeBack(),
    history: history(),
    streams: record(stream()).default(defaultStreams),
    packages: record(packageEntry()).default({}),
    together: Joi.array().items(texts().min(2)).default([]),
    destinations: record(destination()).default({}),
  });
}

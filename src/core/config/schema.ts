import Joi from 'joi';
import { trialClients } from '../name/client.ts';
import { ecosystems } from '../name/ecosystem.ts';
import { type BuiltForm, builtForms, sbomKinds } from '../name/form.ts';
import { layouts, plainLayoutName, protocols, type StoreName, stores } from '../name/protocol.ts';
import { ruleIds } from '../name/rule.ts';
import { parseBytes } from '../text/bytes.ts';
import { parseDuration } from '../text/duration.ts';
import { whyComplex } from '../text/glob.ts';
import { type LimitsConfig, usualLimits } from '../text/limits.ts';
import { compilePattern } from '../text/linear-pattern.ts';
import { strictReading } from '../version/loose-version.ts';
import type { TagPattern } from '../version/tag-pattern.ts';
import { isRange, isVersion } from '../version/version.ts';
import { weights } from '../version/weight.ts';
import {
  type ArtifactConfig,
  type Config,
  type ConfirmConfig,
  type DeploymentConfig,
  type DestinationConfig,
  type ExceptionConfig,
  type FileRuleConfig,
  type GatesConfig,
  type HelperConfig,
  type HistoryConfig,
  type InputConfig,
  type LicencePolicyConfig,
  type LinksConfig,
  type MapConfig,
  type NotesConfig,
  type PackageConfig,
  type PatchConfig,
  type RehearseConfig,
  type SbomConfig,
  type StampConfig,
  type StepConfig,
  type SurfaceConfig,
  type TargetCommandConfig,
  type TrialConfig,
  upstreamProtocols,
  type VerifyConfig,
  type WriteBackConfig,
} from './config.ts';
import { isOrigin } from './origin.ts';

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

/** A tag pattern: its text alone is read as strict SemVer. */
const tagPattern = () =>
  Joi.alternatives().conditional(Joi.object(), {
    // biome-ignore lint/suspicious/noThenProperty: Joi's own word
    then: Joi.object<TagPattern>({
      read: Joi.string().required(),
      parts: Joi.number().valid(1, 2, 3).default(strictReading.parts),
      prerelease: Joi.string().valid('semver', 'python', 'maven').default(strictReading.prerelease),
      separator: Joi.string().valid('.', '_', '-').default(strictReading.separator),
    }),
    otherwise: Joi.string().custom((read: string) => ({ ...strictReading, read })),
  });

/** One tag pattern or a list, as a list. */
const tagPatterns = () =>
  Joi.alternatives().conditional(Joi.array(), {
    // biome-ignore lint/suspicious/noThenProperty: Joi's own word
    then: Joi.array().items(tagPattern()).min(1),
    otherwise: tagPattern().custom((pattern: TagPattern) => [pattern]),
  });

const version = () =>
  Joi.string().custom((text: string, helpers) =>
    isVersion(text)
      ? text
      : helpers.message({ custom: '{{#label}} is an invalid version: expected MAJOR.MINOR.PATCH, for example 1.4.0' }),
  );

const lastOrVersion = () =>
  Joi.string().custom((text: string, helpers) =>
    text === 'last' || isVersion(text)
      ? text
      : helpers.message({ custom: '{{#label}} is invalid: expected last or a version, for example 1.4.0' }),
  );

const size = () =>
  Joi.string().custom(
    (text: string, helpers) =>
      parseBytes(text) ??
      helpers.message({ custom: '{{#label}} is an invalid size: expected a number and a unit, for example 200 kB' }),
  );

/** How much is read of what others made. */
const limits = () => {
  const bytes = (usual: number) => size().default(usual);
  const count = (usual: number) => Joi.number().integer().min(1).default(usual);
  return Joi.object<LimitsConfig>({
    entries: count(usualLimits.entries),
    unpacked: bytes(usualLimits.unpacked),
    ratio: count(usualLimits.ratio),
    manifest: bytes(usualLimits.manifest),
    yaml: bytes(usualLimits.yaml),
    lockfile: bytes(usualLimits.lockfile),
    sbom: bytes(usualLimits.sbom),
  }).default();
};

const pattern = () =>
  Joi.string().custom((text: string, helpers) => {
    try {
      compilePattern(text);
      return text;
    } catch (error) {
      if (!(error instanceof RangeError)) throw error;
      // The reason is ours and the engine's, with the text itself in it.
      return helpers.message(
        { custom: `{{#label}} is not a regular expression that can be used: {{#reason}}` },
        { reason: error.message },
      );
    }
  });

/** A list of globs, none of which could keep the program busy. */
const glob = () =>
  Joi.string().custom((text: string, helpers) => {
    const why = whyComplex(text);
    return why === null ? text : helpers.message({ custom: `{{#label}} is too complex: ${why}` });
  });
const globs = () => Joi.array().items(glob());

/** Branches by name, with `*` for any text. */
const branchPattern = () =>
  Joi.string().custom((text: string, helpers) =>
    text.split('*').length > 4 ? helpers.message({ custom: '{{#label}} has more than three "*"' }) : text,
  );

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
    tag: tagPatterns().default(null),
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
      : helpers.message({
          custom: `{{#label}} is an invalid link: expected an address that contains {${placeholder}}`,
        }),
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

const writeBack = () =>
  Joi.object<WriteBackConfig>({
    commit: Joi.boolean().default(true),
    message: Joi.string().default('Record {releases}'),
    changelog: relativeFolder().default('CHANGELOG.md'),
    sign: Joi.boolean().default(false),
    make: Joi.array()
      .items(Joi.object({ run: Joi.string().required(), files: globs().min(1).required() }))
      .default([]),
  }).default();

const stream = () =>
  Joi.object({
    from: Joi.alternatives(branchPattern(), Joi.array().items(branchPattern()).min(1)).required(),
    only: Joi.string(),
    version: Joi.string(),
    identifier: Joi.string().pattern(/^[A-Za-z][0-9A-Za-z-]*$/, 'a word of letters, digits and hyphens'),
    spell: Joi.string().valid('alpha', 'beta', 'rc'),
    count: Joi.string().valid('releases', 'commits'),
    preview: Joi.boolean(),
  }).oxor('only', 'version', 'identifier', 'preview');

const defaultStreams = {
  stable: { from: ['main', 'master'] },
  maintained: { from: 'line/*', only: '{1}' },
  preview: { from: '*', preview: true },
};

const duration = () =>
  Joi.string().custom(
    (text: string, helpers) =>
      parseDuration(text) ??
      helpers.message({
        custom: '{{#label}} is an invalid duration: expected a number and a unit, for example 10 min',
      }),
  );

const platform = () => Joi.string().pattern(/^[a-z][a-z0-9]*(?:-[a-z0-9]+)+$/, 'a platform such as linux-x64');

const stepDefaults = { in: '.', env: {}, for: null, 'at-most': 60 * 60_000 };

const step = () =>
  Joi.alternatives().conditional(Joi.object(), {
    // biome-ignore lint/suspicious/noThenProperty: Joi's own word
    then: Joi.object<StepConfig>({
      name: Joi.string().default(Joi.ref('run')),
      run: Joi.string().required(),
      in: relativeFolder().default(stepDefaults.in),
      env: record(Joi.string()).default(stepDefaults.env),
      for: platform().default(stepDefaults.for),
      'at-most': duration().default(stepDefaults['at-most']),
    }),
    otherwise: Joi.string().custom((run: string) => ({ name: run, run, ...stepDefaults })),
  });

const tool = () =>
  Joi.string().custom((text: string, helpers) => {
    const [, name = '', range = ''] = /^(\S+)(?:\s+(.+))?$/.exec(text) ?? [];
    if (name !== '' && isRange(range || '*')) return { name, range: range === '' ? null : range };
    return helpers.message({
      custom: '{{#label}} is an invalid tool: expected a name and a version range, for example "node >=20"',
    });
  });

const stamp = () =>
  Joi.object<StampConfig>({
    file: relativeFolder().required(),
    find: pattern().required(),
    write: Joi.string().required(),
  });

const fileRule = () =>
  Joi.object<FileRuleConfig>({
    from: relativeFolder().required(),
    to: relativeFolder(),
    as: relativeFolder(),
    only: globs().default([]),
    except: globs().default([]),
    mode: Joi.string().valid('0644', '0755').default(null),
  })
    .oxor('to', 'as')
    .custom((rule: FileRuleConfig) => ({ ...rule, to: rule.to ?? null, as: rule.as ?? null }));

const helperNames = ['pkg-config', 'launcher', 'desktop-entry', 'installed-files'] as const;

const helper = () =>
  Joi.alternatives().conditional(Joi.object(), {
    // biome-ignore lint/suspicious/noThenProperty: Joi's own word
    then: Joi.object<HelperConfig>({
      helper: Joi.string()
        .valid(...helperNames)
        .required(),
      name: Joi.string()
        .pattern(/^[A-Za-z0-9][\w.+-]*$/, 'a plain file name')
        .default(null),
      run: relativeFolder().default(null),
      set: record(Joi.string()).default({}),
    }),
    // An allowed value would end the check before it is turned into an object.
    otherwise: Joi.string().custom((name: HelperConfig['helper'], helpers) =>
      helperNames.includes(name)
        ? { helper: name, name: null, run: null, set: {} }
        : helpers.message({ custom: `{{#label}} must be one of ${helperNames.join(', ')}` }),
    ),
  });

/** Named texts that only these forms take. */
const fieldsOf = (...forms: readonly BuiltForm[]) =>
  Joi.object()
    .pattern(/^[A-Za-z0-9][A-Za-z0-9-]*$/, Joi.string())
    // biome-ignore lint/suspicious/noThenProperty: Joi's own word
    .when('form', { not: Joi.valid(...forms), then: Joi.forbidden() })
    .default({});

const artifact = () =>
  Joi.object<ArtifactConfig>({
    form: Joi.string()
      .valid(...builtForms)
      .required(),
    name: Joi.string()
      .pattern(/^[^/\\]+$/, 'a file name')
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      .when('form', { not: Joi.valid('tar.gz', 'zip', 'source-archive'), then: Joi.forbidden() })
      .default(null),
    files: Joi.array().items(fileRule()).min(1).default(null),
    brought: relativeFolder().default(null),
    deliver: Joi.boolean().default(true),
    classifier: Joi.string()
      .pattern(/^[A-Za-z0-9][\w.-]*$/, 'a word of letters, digits, dots and hyphens')
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      .when('form', { not: Joi.valid('jar', 'war', 'ear'), then: Joi.forbidden() })
      .default(null),
    top: Joi.string()
      .valid('named', 'none')
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      .when('form', { not: Joi.valid('tar.gz', 'zip', 'source-archive'), then: Joi.valid('named') })
      .default('named'),
    revision: Joi.number().integer().min(1).default(1),
    helpers: Joi.array().items(helper()).default([]),
    tree: Joi.string().valid('package', 'commit').default('package'),
    'wheel-tag': Joi.string()
      .pattern(/^[\w.]+-[\w.]+-[\w.]+$/, 'three tags such as cp311-cp311-linux_x86_64')
      .default(null),
    control: fieldsOf('deb'),
    attributes: fieldsOf('jar', 'sources-jar', 'documentation-jar', 'war', 'ear'),
    coordinates: fieldsOf('jar', 'sources-jar', 'documentation-jar', 'war', 'ear', 'pom'),
    'only-new-after': lastOrVersion()
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      .when('form', { not: 'tar.gz', then: Joi.forbidden() })
      .default(null),
  }).custom((config: ArtifactConfig, helpers) => {
    const { name, files, brought, deliver, top, tree, helpers: generated } = config;
    const isPlain = name === null && files === null && brought === null && deliver && top === 'named';
    return config['only-new-after'] === null || (isPlain && tree === 'package' && generated.length === 0)
      ? config
      : helpers.message({
          custom:
            '{{#label}} takes its entries from the whole archive of the package: only `form` goes with `only-new-after`',
        });
  });

const exception = () =>
  Joi.object<ExceptionConfig>({
    rule: Joi.string()
      .valid(...ruleIds)
      .required(),
    path: glob().default(null),
    // An exception needs a reason that explains it later.
    reason: Joi.string().trim().min(8).required(),
  });

const licencePolicy = () =>
  Joi.object<LicencePolicyConfig>({
    allow: globs().default([]),
    refuse: globs().default([]),
    ask: globs().default([]),
  });

const verify = () =>
  Joi.object<VerifyConfig>({
    require: globs().default([]),
    forbid: globs().default([]),
    largest: size().default(null),
    growth: Joi.number().greater(1).allow(null).default(2),
    'c-library': Joi.string()
      .pattern(/^\d+\.\d+$/, 'a version such as "2.31"')
      .default(null),
    java: Joi.number().integer().min(5).default(null),
    rules: Joi.object(
      Object.fromEntries(ruleIds.map((id) => [id, Joi.string().valid('refuse', 'warn', 'note', 'off')])),
    ).default({}),
    exceptions: Joi.array().items(exception()).default([]),
    licences: licencePolicy().default(null),
  }).default();

const surface = () =>
  Joi.object<SurfaceConfig>({
    step: Joi.string().valid('refuse', 'warn', 'off').allow(null).default(null),
    exceptions: Joi.array()
      .items(Joi.object({ name: Joi.string().min(1).required(), reason: Joi.string().min(8).required() }))
      .default([]),
    notes: Joi.boolean().default(true),
  }).default();

const sbomEntry = () =>
  Joi.object<SbomConfig>({
    kinds: Joi.array()
      .items(Joi.string().valid(...sbomKinds))
      .unique()
      .default(null),
    // SPDX 2.3 §6.5: an absolute URI without a fragment.
    namespace: Joi.string()
      .pattern(/^https?:\/\/[^\s#]+$/, 'an address without #')
      .default(null),
  }).default();

const inputName = () => Joi.string().pattern(/^[A-Za-z0-9][\w.+-]*$/, 'a word of letters, digits, dots and hyphens');

/** Addresses of an input; a bare text is a path in the repository or beside it. */
const place = () => url().pattern(/^(?!-)[^\s\p{Cc}]+$/u, 'an address or a path');

const input = () =>
  Joi.object<InputConfig>({
    name: inputName().default(inputNameOf),
    version: Joi.string()
      .pattern(/^[A-Za-z0-9][\w.+-]*$/, 'a version')
      .default(null),
    from: Joi.alternatives()
      .conditional(Joi.array(), {
        // biome-ignore lint/suspicious/noThenProperty: Joi's own word
        then: Joi.array().items(place()).min(1),
        otherwise: place().custom((text: string) => [text]),
      })
      .required(),
    sha256: Joi.string()
      .pattern(/^[0-9a-f]{64}$/, 'a SHA-256 in hexadecimal, 64 digits in lower case')
      .default(null),
    into: relativeFolder().required(),
    'drop-top': Joi.boolean().default(false),
    signature: Joi.object({ from: place().required(), key: relativeFolder().default(null) }).default(null),
    licence: Joi.string().default(null),
    'also-trusts': Joi.array().items(origin()).default([]),
  });

/** Where it goes says what it is; of what goes into the package's folder itself, the file does. */
function inputNameOf({ into = '', from }: { readonly into?: string; readonly from?: unknown }): string {
  const folder = into.replace(/^\.$|^\.\/|\/+$/g, '').replace(/^.*\//, '');
  const [first = ''] = Array.isArray(from) ? from : [from];
  const file = String(first)
    .replace(/[?#].*$/s, '')
    .replace(/^.*\//s, '');
  return folder !== '' ? folder : file.replace(/[-_.]v?(?:\d|\{version\}).*$/s, '') || 'input';
}

/** Globs of patches with the input that they change: one or a list of either form. */
const patch = () =>
  Joi.alternatives().conditional(Joi.object(), {
    // biome-ignore lint/suspicious/noThenProperty: Joi's own word
    then: Joi.object<PatchConfig>({ files: patchFiles().required(), input: inputName().default(null) }),
    otherwise: patchFiles().custom((files: string) => ({ files, input: null })),
  });

const patchFiles = () => relativeFolder().concat(glob());

const patches = () =>
  Joi.alternatives()
    .conditional(Joi.array(), {
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      then: Joi.array().items(patch()),
      otherwise: patch().custom((one: PatchConfig) => [one]),
    })
    .default([]);

const packageEntry = () =>
  Joi.object<PackageConfig>({
    folder: relativeFolder().default('.'),
    ecosystem: Joi.string()
      .valid(...ecosystems)
      .default(null),
    also: globs().default([]),
    tag: tagPatterns().default(null),
    tools: Joi.array().items(tool()).default([]),
    path: Joi.array()
      .items(Joi.string().pattern(/^\/[^:]*$/, 'the absolute path of a folder'))
      .min(1)
      .default(null),
    offline: Joi.boolean().default(false),
    contained: Joi.boolean().default(false),
    inputs: Joi.array().items(input()).unique('name').default([]),
    patches: patches(),
    build: Joi.array().items(step()).default([]),
    platforms: Joi.array().items(platform()).unique().default([]),
    'built-for': Joi.string().valid('release', 'debug').default('release'),
    stamp: Joi.array().items(stamp()).default([]),
    artifacts: Joi.array().items(artifact()).default([]),
    verify: verify(),
    surface: surface(),
    sbom: sbomEntry(),
    're-exports': texts().default([]),
    trial: Joi.array().items(trial()).default([]),
    'send-to': texts().default(null),
  });

const secretPattern = /^(?:env:[A-Za-z_][A-Za-z0-9_]*|file:.+|kept:[A-Za-z0-9][\w.-]*)$/;
const secret = () => Joi.string().pattern(secretPattern, 'env:NAME, file:PATH or kept:NAME');

/** The same sentence for every value: a secret written there by mistake must not be repeated. */
const credential = () =>
  Joi.alternatives()
    .conditional(Joi.object(), {
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      then: Joi.object({
        token: secret(),
        user: Joi.string().min(1),
        password: secret(),
        header: Joi.string().pattern(/^[A-Za-z0-9-]+$/, 'the name of a header'),
        value: secret(),
        'access-key': secret(),
        'secret-key': secret(),
        session: secret(),
      })
        .xor('token', 'user', 'header', 'access-key')
        .and('user', 'password')
        .and('header', 'value')
        .and('access-key', 'secret-key')
        .with('session', 'access-key'),
      otherwise: Joi.string().pattern(
        new RegExp(`^(?:none|chain)$|${secretPattern.source}`),
        'none, env:NAME, file:PATH, kept:NAME or a mapping of these',
      ),
    })
    .default('none');

const url = () =>
  Joi.string().custom((text: string, helpers) => {
    if (!/^https?:\/\//.test(text)) return text;
    const parsed = URL.canParse(text) ? new URL(text) : null;
    if (parsed === null) return helpers.message({ custom: '{{#label}} is an invalid address' });
    if (parsed.username === '' && parsed.password === '') return text;
    return helpers.message({ custom: '{{#label}} holds a user or password, which belong into `credential`' });
  });

const origin = () =>
  Joi.string().custom((text: string, helpers) =>
    isOrigin(text)
      ? text
      : helpers.message({
          custom: '{{#label}} must be an origin such as https://files.fenmarsh.example, without a path',
        }),
  );

const destination = () =>
  Joi.object<DestinationConfig>({
    speaks: Joi.string()
      .valid(...protocols, plainLayoutName)
      .required(),
    over: Joi.string()
      .valid(...stores)
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      .when('speaks', { is: Joi.valid(...stores), then: Joi.valid(Joi.ref('speaks')) })
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      .when('speaks', { not: Joi.valid(...stores, ...layouts, plainLayoutName), then: Joi.forbidden() })
      .default(storeOf),
    url: url().required(),
    // git finds its own.
    credential: Joi.alternatives().conditional('speaks', {
      is: 'git-tree',
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      then: Joi.string().valid('none').default('none'),
      otherwise: credential(),
    }),
    takes: texts().default(null),
    streams: texts().default(null),
    under: Joi.string()
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      .when('speaks', { is: 'git-tree', then: Joi.string().default('dist/{package}/{version}') })
      .default('{package}/{version}'),
    access: Joi.string().valid('public', 'restricted').default(null),
    'index-url': url().default(null),
    'one-time': secret().default(null),
    'confirm-for': duration().default(5 * 60_000),
    snapshots: Joi.boolean().default(false),
    'others-from': Joi.string()
      .pattern(/^(?:sparse\+)?https?:\/\/\S+$|^registry\+\S+$/, 'the address of an index')
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      .when('speaks', { not: Joi.valid('crate-index', 'crate-registry'), then: Joi.forbidden() })
      .default(null),
    keep: Joi.object({ prereleases: Joi.number().integer().min(1).required() })
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      .when('speaks', { not: Joi.valid(...layouts), then: Joi.forbidden() })
      .default(null),
    bucket: Joi.string()
      .pattern(/^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$/, 'the name of a bucket')
      .when('over', {
        is: 's3',
        // biome-ignore lint/suspicious/noThenProperty: Joi's own word
        then: Joi.required(),
        otherwise: Joi.forbidden(),
      })
      .default(null),
    region: Joi.string().default(null),
    'path-style': Joi.boolean().default(false),
    'make-bucket': Joi.boolean().default(false),
    'also-trusts': Joi.array().items(origin()).default([]),
    confirm: Joi.string().valid('now', 'later').default('now'),
    probe: Joi.string().valid('read', 'write').default('read'),
  }).custom(plainAsStore);

/** Where a layout's files are kept when `over` is missing: an address takes files by PUT, a path is a folder. */
function storeOf({ speaks, url }: { readonly speaks: string; readonly url: string }): StoreName | null {
  const own = stores.find((store) => store === speaks);
  if (own !== undefined) return own;
  if (speaks !== plainLayoutName && !layouts.some((layout) => layout === speaks)) return null;
  return /^(?:https?:\/\/|env:)/.test(url) ? 'http-put' : 'folder';
}

/** A store without an index is the store itself. */
function plainAsStore(config: { readonly speaks: string; readonly over: StoreName | null }): unknown {
  return config.speaks === plainLayoutName ? { ...config, speaks: config.over } : config;
}

const trial = () =>
  Joi.alternatives().conditional(Joi.object(), {
    // biome-ignore lint/suspicious/noThenProperty: Joi's own word
    then: Joi.object<TrialConfig>({
      client: Joi.string()
        .valid(...trialClients)
        .default(null),
      versions: texts().default([]),
      run: oneOrMore().default([]),
      start: Joi.string().default(null),
      until: Joi.string()
        .pattern(
          /^https?:\/\/(?:127\.0\.0\.1|localhost)[:/]/,
          'an address of this machine, such as http://127.0.0.1:{port}/',
        )
        .default(null),
    })
      .with('start', 'until')
      .with('until', 'start'),
    otherwise: Joi.string().custom((run: string) => ({
      client: null,
      versions: [],
      run: [run],
      start: null,
      until: null,
    })),
  });

/** A path with no part that leads elsewhere; absolute or not. */
const targetPath = () =>
  Joi.string().custom((text: string, helpers) => {
    const plain = text === '/' ? text : text.replace(/\/+$/, '');
    const parts = (plain.startsWith('/') ? plain.slice(1) : plain).split('/');
    return parts.some((part) => part === '' || part === '.' || part === '..') || /[\p{Cc}\\]/u.test(text)
      ? helpers.message({ custom: '{{#label}} is not a path without "..": write for example /srv/tides' })
      : plain;
  });

const mapEntry = () =>
  Joi.object<MapConfig>({
    from: Joi.alternatives(Joi.string().valid('.'), targetPath()).default('.'),
    to: targetPath().required(),
    copy: Joi.boolean().default(false),
    mode: Joi.string()
      .pattern(/^0[0-7]{3}$/, 'four octal digits such as "0640"')
      .default(null),
    owner: Joi.string()
      .pattern(/^[A-Za-z0-9_][\w.-]*(?::[A-Za-z0-9_][\w.-]*)?$/, 'a user, or user:group')
      .default(null),
  });

const commandDefaults = { 'at-most': 5 * 60_000 };

const targetCommand = () =>
  Joi.alternatives().conditional(Joi.object(), {
    // biome-ignore lint/suspicious/noThenProperty: Joi's own word
    then: Joi.object<TargetCommandConfig>({
      run: Joi.string().required(),
      'at-most': duration().default(commandDefaults['at-most']),
    }),
    otherwise: Joi.string().custom((run: string) => ({ run, ...commandDefaults })),
  });

/** A key that only a target over ssh has. */
const overSsh = (schema: Joi.Schema) =>
  // biome-ignore lint/suspicious/noThenProperty: Joi's own word
  schema.when('target', { not: 'ssh', then: Joi.forbidden() }).default(null);

const deployment = () =>
  Joi.object<DeploymentConfig>({
    package: Joi.string().required(),
    artifact: Joi.string()
      .valid(...builtForms)
      .default(null),
    platform: platform().default(null),
    target: Joi.string().valid('folder', 'ssh').default('folder'),
    folder: Joi.string()
      .pattern(/^[^\p{Cc}]+$/u, 'a path')
      .custom((text: string) => text.replace(/(?<=.)\/+$/, ''))
      .required(),
    // What begins with a hyphen would be an option of the ssh client.
    host: Joi.string()
      .pattern(/^[A-Za-z0-9[][\w.:[\]%-]*$/, 'a host name')
      .when('target', {
        is: 'ssh',
        // biome-ignore lint/suspicious/noThenProperty: Joi's own word
        then: Joi.required(),
        otherwise: Joi.forbidden(),
      })
      .default(null),
    user: overSsh(Joi.string().pattern(/^[A-Za-z0-9_][\w.-]*$/, 'a user name')),
    port: overSsh(Joi.number().integer().min(1).max(65_535)),
    key: overSsh(Joi.string().pattern(/^(?!-)[^\p{Cc}"]+$/u, 'a path')),
    'known-hosts': overSsh(Joi.string().pattern(/^(?!-)[^\p{Cc}"]+$/u, 'a path')),
    unpack: Joi.boolean().default(true),
    map: Joi.array().items(mapEntry()).default([]),
    earlier: Joi.number().integer().min(1).max(100).default(3),
    first: Joi.array().items(targetCommand()).default([]),
    // biome-ignore lint/suspicious/noThenProperty: a list of commands
    then: Joi.array().items(targetCommand()).default([]),
    until: Joi.string()
      .pattern(/^https?:\/\/[^\s/@]+(?:\/\S*)?$/, 'an address such as https://tides.fenmarsh.example/health')
      .default(null),
    within: duration().default(60_000),
  });

const gates = () =>
  Joi.object<GatesConfig>({
    clean: Joi.boolean().default(true),
    'in-step': Joi.boolean().default(true),
    run: texts().default([]),
    'run-in': Joi.string().valid('checkout', 'working-folder').default('checkout'),
    'narrow-credential': Joi.boolean().default(false),
  }).default();

const upstream = () =>
  Joi.alternatives()
    .conditional(Joi.object(), {
      // biome-ignore lint/suspicious/noThenProperty: Joi's own word
      then: Joi.object(Object.fromEntries(upstreamProtocols.map((protocol) => [protocol, url()]))),
      otherwise: url().custom((text: string) => ({ 'npm-registry': text })),
    })
    .default({});

const rehearse = () =>
  Joi.object<RehearseConfig>({ upstream: upstream(), required: Joi.boolean().default(false) }).default();

const confirm = () => Joi.object<ConfirmConfig>({ upstream: upstream() }).default();

/** The schema of bevelstone.yaml. */
export function configSchema(): Joi.ObjectSchema<Config> {
  return Joi.object<Config>({
    schema: Joi.number().valid(1).required(),
    bevelstone: Joi.string().default(null),
    supplier: Joi.string().default(null),
    repository: Joi.string()
      .pattern(/^(?!-)[^\s\p{Cc}]+$/u, 'the address of a repository')
      .default(null),
    sbom: sbomEntry(),
    output: relativeFolder().default('bevelstone-out'),
    links: links(),
    notes: notes(),
    'write-back': writeBack(),
    history: history(),
    streams: record(stream()).default(defaultStreams),
    packages: record(packageEntry()).default({}),
    together: record(texts().min(2)).default({}),
    destinations: record(destination()).default({}),
    deployments: record(deployment()).default({}),
    gates: gates(),
    limits: limits(),
    rehearse: rehearse(),
    confirm: confirm(),
    afterwards: texts().default([]),
  });
}

import type { ArtifactConfig } from '../../src/core/config/config.ts';
import type { Candidate } from '../../src/core/contents/select.ts';
import type { FormInput } from '../../src/core/form/layout.ts';
import type { ArtifactPlan, PackedSoFar, PlannedEntry } from '../../src/core/form/plan.ts';
import { fromSource } from '../../src/core/form/source-archive/from-source.ts';
import type { BuiltForm } from '../../src/core/name/form.ts';

/** An artifact's configuration with every default. */
export function artifactConfig(form: BuiltForm, more: Partial<ArtifactConfig> = {}): ArtifactConfig {
  return {
    form,
    name: null,
    files: null,
    brought: null,
    deliver: true,
    classifier: null,
    top: 'named',
    revision: 1,
    helpers: [],
    tree: 'package',
    'wheel-tag': null,
    'only-new-after': null,
    control: {},
    attributes: {},
    coordinates: {},
    ...more,
  };
}

/** A contents rule with every default. */
export function fileRule(from: string, to: string | null = null) {
  return { from, to, as: null, only: [], except: [], mode: null };
}

/** A file that could be selected. */
export function candidate(path: string, more: Partial<Candidate> = {}): Candidate {
  return { path, sizeBytes: 1, isExecutable: false, linkname: null, ...more };
}

/** What a form is laid out from, with files that are here in memory. */
export function formInput(
  form: BuiltForm,
  texts: Readonly<Record<string, string>>,
  {
    artifact = {},
    ...more
  }: Partial<Omit<FormInput, 'artifact'>> & { readonly artifact?: Partial<ArtifactConfig> } = {},
): FormInput {
  const files = Object.keys(texts).map((path) => candidate(path));
  return {
    artifact: artifactConfig(form, artifact),
    packageName: 'tides',
    manifest: null,
    manifestPath: null,
    version: '1.4.0',
    stream: { type: 'stable', name: 'stable' },
    platform: null,
    platforms: [],
    commit: 'c0ffee0000000000000000000000000000000001',
    sourceTime: 1_775_000_000,
    supplier: 'Fenmarsh Tide Office',
    notes: {
      package: 'tides',
      version: '1.4.0',
      range: '',
      date: '2026-03-31',
      intro: null,
      sections: [],
      contributors: [],
    },
    programVersion: '0.1.0',
    needsSbom: async () => null,
    fromSource: (folder) =>
      fromSource({
        name: 'tides',
        fullName: 'tides',
        ecosystem: 'native',
        config: { tools: [], build: [], platforms: [], artifacts: [], 'built-for': 'release' },
        manifest: null,
        version: '1.4.0',
        commit: 'c0ffee0000000000000000000000000000000001',
        time: 1_775_000_000,
        folder,
        inputs: [],
        install: null,
        helpers: [],
        release: {
          program: '0.1.0',
          manifest: null,
          supplier: null,
          stream: { type: 'stable', name: 'stable' },
          notes: null,
        },
      }),
    files,
    tracked: new Set(files.map(({ path }) => path)),
    isStamped: true,
    folder: '',
    read: async (path) => texts[path] ?? null,
    readAbove: async (path) => texts[path] ?? null,
    ...more,
  };
}

/** Paths of a plan in their order. */
export function pathsOf({ entries }: Pick<ArtifactPlan, 'entries'>): string[] {
  return entries.map(({ path }) => path);
}

/** Text of a planned entry that Bevelstone writes; what is made of others is made of `before`. */
export function textOf(entries: readonly PlannedEntry[], path: string, before: readonly PackedSoFar[] = []): string {
  const content = entries.find((entry) => entry.path === path)?.content;
  if (content?.type === 'bytes') return Buffer.from(content.bytes).toString('utf8');
  if (content?.type === 'gzipped') return content.text;
  if (content?.type === 'made') return Buffer.from(content.make(before)).toString('utf8');
  throw new Error(`${path} is not written by Bevelstone`);
}

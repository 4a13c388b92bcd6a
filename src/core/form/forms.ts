import type { BuiltForm } from '../config/config.ts';
import { type Staged, selectByRules } from '../contents/select.ts';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import type { Form, FormInput } from './form.ts';
import { fillPlaceholders } from './placeholder.ts';
import type { ArtifactPlan } from './plan.ts';

/** Every form that can be built, loaded when it is used. */
export const forms: Readonly<Record<BuiltForm, () => Promise<Form>>> = {
  'npm-tarball': async () => (await import('./npm-tarball/npm-tarball.ts')).npmTarball,
  wheel: async () => (await import('./wheel/wheel.ts')).wheel,
  sdist: async () => (await import('./sdist/sdist.ts')).sdist,
  jar: async () => (await import('./jar/jar.ts')).jar,
  'sources-jar': async () => (await import('./jar/jar.ts')).sourcesJar,
  'documentation-jar': async () => (await import('./jar/jar.ts')).documentationJar,
  pom: async () => (await import('./pom/pom.ts')).pom,
  nupkg: async () => (await import('./nupkg/nupkg.ts')).nupkg,
  snupkg: async () => (await import('./nupkg/nupkg.ts')).snupkg,
  deb: async () => (await import('./deb/deb.ts')).deb,
  'tar.gz': async () => (await import('./plain-archive/plain-archive.ts')).tarGz,
  zip: async () => (await import('./plain-archive/plain-archive.ts')).zip,
  'source-archive': async () => (await import('./source-archive/source-archive.ts')).sourceArchive,
};

/** Lays an artifact out: selects what goes in, then says where everything stands. Entries of contents rules come first. */
export async function planArtifact(input: FormInput): Promise<ArtifactPlan> {
  const form = await forms[input.artifact.form]();
  const staged = await stage(form, input);
  refuseLinks(input, staged);
  return form.plan(input, staged);
}

const withoutLinks: readonly BuiltForm[] = [
  'npm-tarball',
  'wheel',
  'jar',
  'sources-jar',
  'documentation-jar',
  'nupkg',
  'snupkg',
];

/** Installers of these forms pass over links or write them as text files. */
function refuseLinks({ artifact, packageName }: FormInput, staged: readonly Staged[]): void {
  const link = staged.find(({ source }) => source.linkname !== null);
  if (link === undefined || !withoutLinks.includes(artifact.form)) return;
  throw new BevelstoneError('CONTENTS_UNSAFE', {
    message: `${link.source.path} of ${packageName} is a symbolic link, and a ${artifact.form} can have none`,
    why: `it points to ${link.source.linkname}, and installers would leave it out or write that text instead`,
    fix: 'Select the file that it points to, with `as` for its place, or leave the link out with `except`',
  });
}

/** The files that an artifact takes, with their places, before anything is packed. */
export async function stageArtifact(input: FormInput): Promise<Staged[]> {
  return stage(await forms[input.artifact.form](), input);
}

async function stage(form: Form, input: FormInput): Promise<Staged[]> {
  const { contents } = input.artifact;
  if (contents === null) return form.select(input);
  const filled = contents.flatMap((rule) => {
    const isRepeated =
      input.platform === null && [rule.from, rule.to, rule.as].some((text) => text?.includes('{platform}'));
    const inputs = isRepeated ? input.platforms.map((platform) => ({ ...input, platform })) : [input];
    return inputs.map((one) => ({
      ...rule,
      from: fillPlaceholders(rule.from, one),
      to: rule.to === null ? null : fillPlaceholders(rule.to, one),
      as: rule.as === null ? null : fillPlaceholders(rule.as, one),
    }));
  });
  return selectByRules(input.files, filled, input.packageName);
}

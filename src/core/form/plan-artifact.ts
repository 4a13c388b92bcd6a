import { type Staged, selectByRules } from '../contents/select.ts';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import type { BuiltForm } from '../name/form.ts';
import { formDefinitions } from './definitions.ts';
import type { FormInput, Layout } from './layout.ts';
import { fillPlaceholders } from './placeholder.ts';
import type { ArtifactPlan } from './plan.ts';

/** Lays an artifact out: selects what goes in, then says where everything stands. Entries of file rules come first. */
export async function planArtifact(input: FormInput): Promise<ArtifactPlan> {
  const layout = await layoutOf(input.artifact.form);
  const staged = await stage(layout, input);
  refuseLinks(input, staged);
  return layout.plan(input, staged);
}

/** Installers of these forms pass over links or write them as text files. */
function refuseLinks({ artifact, packageName }: FormInput, staged: readonly Staged[]): void {
  const link = staged.find(({ source }) => source.linkname !== null);
  if (link === undefined || formDefinitions[artifact.form].entries.links !== 'dropped') return;
  throw new BevelstoneError('CONTENTS_UNSAFE', {
    message: `${link.source.path} of ${packageName} is a symbolic link, and a ${artifact.form} can have none`,
    why: `it points to ${link.source.linkname}, and installers would leave it out or write that text instead`,
    fix: 'Select the file that it points to, with `as` for its place, or leave the link out with `except`',
  });
}

async function layoutOf(form: BuiltForm): Promise<Layout> {
  const { layout } = formDefinitions[form];
  if (layout === null) throw new Error(`${form} is never built`);
  return layout();
}

async function stage(layout: Layout, input: FormInput): Promise<Staged[]> {
  const { files: rules } = input.artifact;
  if (rules === null) return layout.select(input);
  const filled = rules.flatMap((rule) => {
    const isRepeated =
      input.platform === null && [rule.from, rule.to, rule.as].some((text) => text?.includes('{platform}'));
    const inputs = isRepeated ? input.platforms.map((platform) => ({ ...input, platform })) : [input];
    return inputs.map((input) => ({
      ...rule,
      from: fillPlaceholders(rule.from, input),
      to: rule.to === null ? null : fillPlaceholders(rule.to, input),
      as: rule.as === null ? null : fillPlaceholders(rule.as, input),
    }));
  });
  return selectByRules(input.files, filled, input.packageName);
}

import type { Form } from '../name/form.ts';
import { crate } from './crate/definition.ts';
import { deb } from './deb/definition.ts';
import type { FormDefinition } from './definition.ts';
import { goModule } from './go-module/definition.ts';
import { documentationJar, ear, jar, sourcesJar, war } from './jar/definition.ts';
import { loose } from './loose/definition.ts';
import { npmTarball } from './npm-tarball/definition.ts';
import { nupkg, snupkg } from './nupkg/definition.ts';
import { tarGz, zip } from './plain-archive/definition.ts';
import { pom } from './pom/definition.ts';
import { cyclonedx, spdx } from './sbom/definition.ts';
import { sdist } from './sdist/definition.ts';
import { sourceArchive } from './source-archive/definition.ts';
import { tar, text } from './unknown/definition.ts';
import { wheel } from './wheel/definition.ts';

/** Every form. */
export const formDefinitions: Readonly<Record<Form, FormDefinition>> = {
  deb,
  crate,
  'go-module': goModule,
  pom,
  wheel,
  nupkg,
  snupkg,
  jar,
  'sources-jar': sourcesJar,
  'documentation-jar': documentationJar,
  war,
  ear,
  'npm-tarball': npmTarball,
  sdist,
  'tar.gz': tarGz,
  zip,
  'source-archive': sourceArchive,
  loose,
  spdx,
  cyclonedx,
  tar,
  text,
};

/** Whether the artifact is an SBOM: it goes along with what it describes, and is never installed. */
export function isSbom({ form }: { readonly form: Form }): boolean {
  return formDefinitions[form].role === 'sbom';
}

/** Whether an artifact is a whole archive that is unpacked to be used, and not a source to build from. */
export function isWholeArchive({ form, partial }: { readonly form: Form; readonly partial?: unknown }): boolean {
  return partial === undefined && formDefinitions[form].isUnpacked && !formDefinitions[form].isSource;
}

/** Whether an index shows a page of the form. */
export function hasPage(form: Form): boolean {
  return formDefinitions[form].page !== null;
}

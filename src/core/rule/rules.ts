import type { Artifact } from '../form/artifact.ts';
import type { RuleId } from '../name/rule.ts';
import { caseClash } from './archive/case-clash.ts';
import { duplicatePath } from './archive/duplicate-path.ts';
import { junk } from './archive/junk.ts';
import { leavingLink } from './archive/leaving-link.ts';
import { notAsNamed } from './archive/not-as-named.ts';
import { oddMode } from './archive/odd-mode.ts';
import { oddTime } from './archive/odd-time.ts';
import { owner } from './archive/owner.ts';
import { portableName } from './archive/portable-name.ts';
import { specialFile } from './archive/special-file.ts';
import { unsafePath } from './archive/unsafe-path.ts';
import { buildPath } from './contents/build-path.ts';
import { credentialFile } from './contents/credential-file.ts';
import { empty } from './contents/empty.ts';
import { forbiddenFile } from './contents/forbidden-file.ts';
import { grown } from './contents/grown.ts';
import { localDependency } from './contents/local-dependency.ts';
import { lostFile } from './contents/lost-file.ts';
import { namedFileMissing } from './contents/named-file-missing.ts';
import { requiredFile } from './contents/required-file.ts';
import { secret } from './contents/secret.ts';
import { sourceMap } from './contents/source-map.ts';
import { testFile } from './contents/test-file.ts';
import { tooLarge } from './contents/too-large.ts';
import { frameworkFolders } from './dotnet/framework-folders.ts';
import { partUnlisted } from './dotnet/part-unlisted.ts';
import { symbolsDisagree } from './dotnet/symbols-disagree.ts';
import { isExcepted } from './exception.ts';
import { moduleFileName } from './go/file-name.ts';
import { languageVersionMissing } from './go/language-version-missing.ts';
import { majorSuffix } from './go/major-suffix.ts';
import { notOfModule } from './go/not-of-module.ts';
import { replaced } from './go/replaced.ts';
import { retractsItself } from './go/retracts-itself.ts';
import { moduleSize } from './go/size-limit.ts';
import { moduleTopFolder } from './go/top-folder.ts';
import { classVersion } from './jvm/class-version.ts';
import { duplicateClass } from './jvm/duplicate-class.ts';
import { manifestUnusable } from './jvm/manifest-unusable.ts';
import { pomIncomplete } from './jvm/pom-incomplete.ts';
import { pomUnresolved } from './jvm/pom-unresolved.ts';
import { signatureLeft } from './jvm/signature-left.ts';
import { bundledLicenceMissing } from './metadata/bundled-licence-missing.ts';
import { classifierUnknown } from './metadata/classifier-unknown.ts';
import { commitMissing } from './metadata/commit-missing.ts';
import { descriptionMissing } from './metadata/description-missing.ts';
import { keywordInvalid } from './metadata/keyword-invalid.ts';
import { licenceDisagrees } from './metadata/licence-disagrees.ts';
import { licenceInvalid } from './metadata/licence-invalid.ts';
import { licencePolicy } from './metadata/licence-policy.ts';
import { licenceTextMissing } from './metadata/licence-text-missing.ts';
import { linkMalformed } from './metadata/link-malformed.ts';
import { lockfileOutdated } from './metadata/lockfile-outdated.ts';
import { nameInvalid } from './metadata/name-invalid.ts';
import { nameLookalike } from './metadata/name-lookalike.ts';
import { rangeImpossible } from './metadata/range-impossible.ts';
import { rangeMissing } from './metadata/range-missing.ts';
import { readmeBroken } from './metadata/readme-broken.ts';
import { readmeMissing } from './metadata/readme-missing.ts';
import { repositoryMissing } from './metadata/repository-missing.ts';
import { versionDisagrees } from './metadata/version-disagrees.ts';
import { versionInvalid } from './metadata/version-invalid.ts';
import { debConffile } from './native/deb-conffile.ts';
import { debControl } from './native/deb-control.ts';
import { debCopyright } from './native/deb-copyright.ts';
import { debPath } from './native/deb-path.ts';
import { elfCLibrary } from './native/elf-c-library.ts';
import { elfDebug } from './native/elf-debug.ts';
import { elfPlatform } from './native/elf-platform.ts';
import { elfRunPath } from './native/elf-run-path.ts';
import { elfSoname } from './native/elf-soname.ts';
import { browserBuiltIn } from './node/browser-built-in.ts';
import { bundledModules } from './node/bundled-modules.ts';
import { conditionOrder } from './node/condition-order.ts';
import { dependencyElsewhere } from './node/dependency-elsewhere.ts';
import { entryPointMissing } from './node/entry-point-missing.ts';
import { entryPointUnusable } from './node/entry-point-unusable.ts';
import { importedFileAbsent } from './node/imported-file-absent.ts';
import { installScript } from './node/install-script.ts';
import { moduleField } from './node/module-field.ts';
import { moduleGlobals } from './node/module-globals.ts';
import { moduleSyntax } from './node/module-syntax.ts';
import { privatePackage } from './node/private.ts';
import { programUnusable } from './node/program-unusable.ts';
import { typesDefault } from './node/types-default.ts';
import { typesDisagree } from './node/types-disagree.ts';
import { typesExtension } from './node/types-extension.ts';
import { typesMissing } from './node/types-missing.ts';
import { typesModuleSystem } from './node/types-module-system.ts';
import { typescriptEntry } from './node/typescript-entry.ts';
import { undeclaredImport } from './node/undeclared-import.ts';
import { directReference } from './python/direct-reference.ts';
import { exactPin } from './python/exact-pin.ts';
import { metadataIncomplete } from './python/metadata-incomplete.ts';
import { noModule } from './python/no-module.ts';
import { ownModuleAbsent } from './python/own-module-absent.ts';
import { privateProject } from './python/private.ts';
import { recordDisagrees } from './python/record-disagrees.ts';
import { scriptUnresolved } from './python/script-unresolved.ts';
import { sourceOnly } from './python/source-only.ts';
import { strayModule } from './python/stray-module.ts';
import { undeclaredPythonImport } from './python/undeclared-import.ts';
import { wheelTag } from './python/wheel-tag.ts';
import type { Finding, Rule, RuleSettings } from './rule.ts';
import { featureUnknown } from './rust/feature-unknown.ts';
import { crateLockfileMissing } from './rust/lockfile-missing.ts';
import { registryLimits } from './rust/registry-limits.ts';
import { targetMissing } from './rust/target-missing.ts';
import { crateTopFolder } from './rust/top-folder.ts';
import { unpublishableDependency } from './rust/unpublishable-dependency.ts';
import { wildcardRequirement } from './rust/wildcard-requirement.ts';

/** All rules, by theme. */
export const rules: Readonly<Record<RuleId, Rule>> = {
  'archive/case-clash': caseClash,
  'archive/duplicate-path': duplicatePath,
  'archive/junk': junk,
  'archive/leaving-link': leavingLink,
  'archive/not-as-named': notAsNamed,
  'archive/odd-mode': oddMode,
  'archive/odd-time': oddTime,
  'archive/owner': owner,
  'archive/portable-name': portableName,
  'archive/special-file': specialFile,
  'archive/unsafe-path': unsafePath,
  'contents/build-path': buildPath,
  'contents/credential-file': credentialFile,
  'contents/empty': empty,
  'contents/forbidden-file': forbiddenFile,
  'contents/grown': grown,
  'contents/local-dependency': localDependency,
  'contents/lost-file': lostFile,
  'contents/named-file-missing': namedFileMissing,
  'contents/required-file': requiredFile,
  'contents/secret': secret,
  'contents/source-map': sourceMap,
  'contents/test-file': testFile,
  'contents/too-large': tooLarge,
  'metadata/bundled-licence-missing': bundledLicenceMissing,
  'metadata/classifier-unknown': classifierUnknown,
  'metadata/commit-missing': commitMissing,
  'metadata/description-missing': descriptionMissing,
  'metadata/keyword-invalid': keywordInvalid,
  'metadata/licence-disagrees': licenceDisagrees,
  'metadata/licence-invalid': licenceInvalid,
  'metadata/licence-policy': licencePolicy,
  'metadata/licence-text-missing': licenceTextMissing,
  'metadata/link-malformed': linkMalformed,
  'metadata/lockfile-outdated': lockfileOutdated,
  'metadata/name-invalid': nameInvalid,
  'metadata/name-lookalike': nameLookalike,
  'metadata/range-impossible': rangeImpossible,
  'metadata/range-missing': rangeMissing,
  'metadata/readme-broken': readmeBroken,
  'metadata/readme-missing': readmeMissing,
  'metadata/repository-missing': repositoryMissing,
  'metadata/version-disagrees': versionDisagrees,
  'metadata/version-invalid': versionInvalid,
  'node/browser-built-in': browserBuiltIn,
  'node/condition-order': conditionOrder,
  'node/dependency-elsewhere': dependencyElsewhere,
  'node/entry-point-missing': entryPointMissing,
  'node/entry-point-unusable': entryPointUnusable,
  'node/install-script': installScript,
  'node/imported-file-absent': importedFileAbsent,
  'node/module-syntax': moduleSyntax,
  'node/private': privatePackage,
  'node/program-unusable': programUnusable,
  'node/types-disagree': typesDisagree,
  'node/types-missing': typesMissing,
  'node/bundled-modules': bundledModules,
  'node/module-field': moduleField,
  'node/module-globals': moduleGlobals,
  'node/types-default': typesDefault,
  'node/types-extension': typesExtension,
  'node/types-module-system': typesModuleSystem,
  'node/typescript-entry': typescriptEntry,
  'node/undeclared-import': undeclaredImport,
  'python/direct-reference': directReference,
  'python/exact-pin': exactPin,
  'python/metadata-incomplete': metadataIncomplete,
  'python/no-module': noModule,
  'python/own-module-absent': ownModuleAbsent,
  'python/private': privateProject,
  'python/record-disagrees': recordDisagrees,
  'python/script-unresolved': scriptUnresolved,
  'python/source-only': sourceOnly,
  'python/stray-module': strayModule,
  'python/undeclared-import': undeclaredPythonImport,
  'python/wheel-tag': wheelTag,
  'jvm/class-version': classVersion,
  'jvm/duplicate-class': duplicateClass,
  'jvm/manifest-unusable': manifestUnusable,
  'jvm/pom-incomplete': pomIncomplete,
  'jvm/pom-unresolved': pomUnresolved,
  'jvm/signature-left': signatureLeft,
  'dotnet/framework-folders': frameworkFolders,
  'dotnet/part-unlisted': partUnlisted,
  'dotnet/symbols-disagree': symbolsDisagree,
  'rust/feature-unknown': featureUnknown,
  'rust/lockfile-missing': crateLockfileMissing,
  'rust/registry-limits': registryLimits,
  'rust/target-missing': targetMissing,
  'rust/top-folder': crateTopFolder,
  'rust/unpublishable-dependency': unpublishableDependency,
  'rust/wildcard-requirement': wildcardRequirement,
  'go/file-name': moduleFileName,
  'go/language-version-missing': languageVersionMissing,
  'go/major-suffix': majorSuffix,
  'go/not-of-module': notOfModule,
  'go/replaced': replaced,
  'go/retracts-itself': retractsItself,
  'go/size-limit': moduleSize,
  'go/top-folder': moduleTopFolder,
  'native/deb-conffile': debConffile,
  'native/deb-control': debControl,
  'native/deb-copyright': debCopyright,
  'native/deb-path': debPath,
  'native/elf-c-library': elfCLibrary,
  'native/elf-debug': elfDebug,
  'native/elf-platform': elfPlatform,
  'native/elf-run-path': elfRunPath,
  'native/elf-soname': elfSoname,
};

/** Runs every rule for the artifact's form that is not switched off. Findings come in the order of the rules; an excepted one is a note with its reason. */
export function checkArtifact(artifact: Artifact, settings: RuleSettings): Finding[] {
  return runRules(Object.values(rules), artifact, settings);
}

/** The same for the rules that see more once the artifact is installed with what it needs. */
export function checkInstalled(artifact: Artifact, settings: RuleSettings): Finding[] {
  const all: readonly Rule[] = Object.values(rules);
  return runRules(
    all.filter(({ needsInstall }) => needsInstall === true),
    artifact,
    settings,
  );
}

function runRules(chosen: readonly Rule[], artifact: Artifact, settings: RuleSettings): Finding[] {
  return chosen.flatMap((rule) => {
    const configured = settings.severities[rule.id];
    if (configured === 'off' || !rule.forms.includes(artifact.form)) return [];
    if (rule.needsWhole === true && settings.isPartial) return [];
    return rule.check(artifact, settings).map((found): Finding => {
      const { path, message, fix, severity } = found;
      const exception = settings.exceptions.find((exception) =>
        isExcepted({ exception: exception, rule: rule.id, path, prefix: artifact.prefix }),
      );
      return {
        rule: rule.id,
        severity: exception !== undefined ? 'note' : (configured ?? severity ?? rule.severity),
        path,
        message,
        fix: fix ?? rule.fix,
        excepted: exception?.reason ?? null,
      };
    });
  });
}

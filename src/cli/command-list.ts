import type { ListedCommand } from './command.ts';

/** All commands in the order of the work. */
export const commandList: readonly ListedCommand[] = [
  {
    name: 'survey',
    positional: '',
    describe: 'Show what changed since the last release, the next version, and why',
    load: async () => (await import('./command/survey.ts')).survey,
  },
  {
    name: 'notes',
    positional: '',
    describe: 'Write the release notes of the next release, a past one or a range',
    load: async () => (await import('./command/notes.ts')).notes,
  },
  {
    name: 'build',
    positional: '',
    describe: 'Build the packages of the next release from a fresh checkout',
    load: async () => (await import('./command/build.ts')).build,
  },
  {
    name: 'inspect',
    positional: '<file>',
    describe: 'Show what is inside an artifact',
    load: async () => (await import('./command/inspect.ts')).inspect,
  },
  {
    name: 'verify',
    positional: '[files..]',
    describe: 'Check artifacts by rules before anyone can install them',
    load: async () => (await import('./command/verify.ts')).verify,
  },
  {
    name: 'bill write',
    positional: '[targets..]',
    describe: 'Write bills of materials: what is inside, and all it depends on',
    load: async () => (await import('./command/bill-write.ts')).billWrite,
  },
  {
    name: 'bill check',
    positional: '<file>',
    describe: 'Check a bill against its specification, an artifact or a folder',
    load: async () => (await import('./command/bill-check.ts')).billCheck,
  },
  {
    name: 'bill merge',
    positional: '<files..>',
    describe: 'Join several bills into one',
    load: async () => (await import('./command/bill-merge.ts')).billMerge,
  },
  {
    name: 'bill show',
    positional: '<file>',
    describe: 'Show what a bill names, with licences, and what changed since another',
    load: async () => (await import('./command/bill-show.ts')).billShow,
  },
  {
    name: 'probe',
    positional: '[destinations..]',
    describe: 'Ask destinations whether a release could go there',
    load: async () => (await import('./command/probe.ts')).probe,
  },
  {
    name: 'rehearse',
    positional: '',
    describe: 'Install what was built from throw-away stand-ins, as a new user would',
    load: async () => (await import('./command/rehearse.ts')).rehearse,
  },
  {
    name: 'publish',
    positional: '',
    describe: 'Deliver built artifacts to their destinations',
    load: async () => (await import('./command/publish.ts')).publish,
  },
  {
    name: 'confirm',
    positional: '[release]',
    describe: 'Wait until a release is visible, and install it from its destinations',
    load: async () => (await import('./command/confirm.ts')).confirm,
  },
  {
    name: 'release',
    positional: '',
    describe: 'Go the whole way: gates, build, checks, one question, tag, push, deliver, record',
    load: async () => (await import('./command/release.ts')).release,
  },
  {
    name: 'promote',
    positional: '<release>',
    describe: 'Copy the very bytes of a release to another destination',
    load: async () => (await import('./command/promote.ts')).promote,
  },
  {
    name: 'withdraw',
    positional: '<release>',
    describe: 'Take a release back at a destination, as far as its protocol allows',
    load: async () => (await import('./command/withdraw.ts')).withdraw,
  },
  {
    name: 'ledger list',
    positional: '',
    describe: 'List every release and where it was delivered',
    load: async () => (await import('./command/ledger-list.ts')).ledgerList,
  },
  {
    name: 'ledger show',
    positional: '<release>',
    describe: 'Show one release: what changed, what it is made of, where it went',
    load: async () => (await import('./command/ledger-show.ts')).ledgerShow,
  },
  {
    name: 'ledger trace',
    positional: '<what>',
    describe: 'Tell which release first has a file, a digest, a commit or an issue',
    load: async () => (await import('./command/ledger-trace.ts')).ledgerTrace,
  },
  {
    name: 'ledger lines',
    positional: '<release>',
    describe: 'What a user types or pastes to get exactly this release',
    load: async () => (await import('./command/ledger-lines.ts')).ledgerLines,
  },
  {
    name: 'standin',
    positional: '',
    describe: 'Run stand-in servers on this machine, for trying things out',
    load: async () => (await import('./command/standin.ts')).standin,
  },
  {
    name: 'demo',
    positional: '[to]',
    describe: 'Lay out the demo workspace and go the whole way with it',
    load: async () => (await import('./command/demo.ts')).demo,
  },
];

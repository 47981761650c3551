import { JexoError } from '../errors.js'

export const shipErrors = {
  releaseFailed: (id: string, reason: string) =>
    new JexoError(
      'release-failed',
      `the release ${id} failed to start (${reason})`,
      'the previous release keeps serving; fix the kit, pack it and ship it again',
    ),
  releaseUnknown: (id: string | undefined, kept: readonly string[]) =>
    new JexoError(
      'release-unknown',
      id === undefined ? 'there is no earlier release' : `there is no release ${id} here`,
      kept.length > 0 ? `kept releases: ${kept.join(', ')}` : 'ship one first',
    ),
  artefactForeign: (platform: string, here: string) =>
    new JexoError(
      'artefact-foreign',
      `it contains native code for ${platform}, but this machine is ${here}`,
      'pack it on a machine of that platform',
    ),
  artefactMissing: (file: string, reason: string) =>
    new JexoError('artefact-missing', `it cannot be read (${reason})`, 'pass a file created by jexo pack', file),
  remoteNodeMissing: (reason: string) =>
    new JexoError(
      'remote-node-missing',
      `Node was not found on that machine (${reason})`,
      'install Node 20.19 or later there, or pass its path with --node <path>',
    ),
  deployFolderUnusable: (reason: string) =>
    new JexoError(
      'deploy-folder-unusable',
      `the folder cannot be used (${reason})`,
      'choose a folder that you can write to',
    ),
  publicUrlSilent: (url: string, reason: string) =>
    new JexoError(
      'public-url-silent',
      `the release runs, but does not respond at its public URL (${reason})`,
      'check the proxy, the host name and the port',
      url,
    ),
  notPacked: (file: string) =>
    new JexoError(
      'not-packed',
      'not a file created by jexo pack',
      'create one with jexo pack, or pass the kit file itself',
      file,
    ),
  deployAddressFixed: (address: string) =>
    new JexoError(
      'deploy-address-fixed',
      `the deployment listens on ${address} while it runs`,
      'stop it with --stop, then ship with the new address',
    ),
  deployBusy: (id: string) =>
    new JexoError('deploy-busy', `a switch to the release ${id} is in progress`, 'wait until it has finished'),
  deploymentNotRunning: () =>
    new JexoError('deployment-not-running', 'nothing is deployed here', 'ship a packed file first'),
  supervisorFailed: (reason: string) =>
    new JexoError('supervisor-failed', `the supervisor does not start (${reason})`, 'fix the cause and ship again'),
}

import { JexoError } from '../errors.js'

export const telemetryErrors = {
  collectorUnreadable: (given: string) =>
    new JexoError(
      'collector-unreadable',
      `${JSON.stringify(given.slice(0, 200))} is not a valid URL of a collector`,
      'use the OTLP endpoint for HTTP, such as http://127.0.0.1:4318',
    ),
  sdkMissing: (name: string) =>
    new JexoError(
      'sdk-missing',
      `sending traces and metrics requires the package ${name}, which is not installed`,
      `run npm install ${name} in the folder of the kit or the packed file`,
    ),
}

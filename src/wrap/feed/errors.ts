import { JexoError } from '../../errors.js'

export const feedErrors = {
  topicUnreadable: (topic: string) =>
    new JexoError(
      'topic-unreadable',
      `${JSON.stringify(topic)} is not a valid topic`,
      'use levels and variables that fill a whole level, such as scales/{hive}/weight',
    ),
  feedAddress: (given: string) =>
    new JexoError(
      'feed-address',
      `${JSON.stringify(given.replace(/\/\/[^@/]*@/, '//'))} is not a supported kind of feed`,
      'use mqtt://…, opc.tcp://…, https://…, wss+json://…, webhook://host:port/path or a file: URL, or a source with open or poll',
    ),
  feedUnreachable: (where: string, reason: string) =>
    new JexoError(
      'feed-unreachable',
      `the source cannot be reached (${reason})`,
      'check that it runs, and check its address, user and password',
      where,
      { forCallers: 'The source of the readings cannot be reached now; try again later.' },
    ),
  webhookOpen: (host: string, setting: string) =>
    new JexoError(
      'webhook-open',
      `other machines can reach the webhook on ${host}, and it has no secret`,
      `set ${setting}, or listen on 127.0.0.1`,
    ),
  opcUaSetting: (what: string, given: string, choices: readonly string[]) =>
    new JexoError('feed-setting', `${JSON.stringify(given)} is not a ${what}`, `use ${choices.join(', ')}`),
  feedSilent: (where: string, filter: string, listenMs: number) =>
    new JexoError(
      'feed-silent',
      `no message arrived on ${filter} within ${listenMs} ms`,
      'check the topic, or listen longer with --listen',
      where,
    ),
}

/**
 * The keys under which answers of the service are cached, all in one place: none is that of another
 * answer, and what is below a key goes stale with it.
 */
export const keys = {
  functions: () => ['functions'],
  ignored: () => ['ignored'],
  variables: () => ['variables'],
  activity: () => ['activity'],
  activityList: (service: string, by: string) => [...keys.activity(), { service, by }],
  marks: () => ['marks'],
  plan: (mark: string) => ['back to', mark],
  entry: (id: string) => ['entry', id],
  me: () => ['me'],
  tokens: () => ['tokens'],
  signIn: () => ['sign-in'],
  status: () => ['status'],
  statusIn: (lane: string) => [...keys.status(), lane],

  walks: () => ['walks'],
  walk: (name: string) => [...keys.walks(), name],
  boundaries: (service: string, call: string, at: string) => ['boundaries', service, call, at],

  services: () => ['services'],
  service: (service: string) => [...keys.services(), service],
  ownVariables: (service: string) => [...keys.service(service), 'own variables'],
  seenVariables: (service: string) => [...keys.service(service), 'variables'],
  operations: (service: string) => [...keys.service(service), 'operations'],
  operationsIn: (service: string, lane: string) => [...keys.operations(service), { lane }],
  operation: (service: string, operation: string) => [...keys.operations(service), operation],
  revisions: (service: string) => [...keys.service(service), 'revisions'],
  revision: (service: string, revision: number) => [...keys.revisions(service), revision],
  memories: (service: string) => [...keys.service(service), 'memory'],
  memory: (service: string, lane: string) => [...keys.memories(service), { lane }],
  remembered: (service: string, collection: string, lane: string) => [
    ...keys.memories(service),
    collection,
    { lane },
  ],
  rememberedValues: (service: string, lane: string) => [...keys.memories(service), 'values', { lane }],
  flows: (service: string, lane: string) => [...keys.memories(service), 'flows', { lane }],
  webhooks: (service: string) => [...keys.service(service), 'webhooks'],
  payloads: (service: string) => [...keys.service(service), 'payloads'],
  timings: (service: string, lane: string) => [...keys.service(service), 'timings', { lane }],

  mappings: (service: string, lane: string) => [...keys.service(service), 'mappings', { lane }],
  mapping: (service: string, id: string, lane: string) => [
    ...keys.service(service),
    'mappings',
    id,
    { lane },
  ],
  mappingText: (service: string, id: string, lane: string) => [...keys.mapping(service, id, lane), 'text'],
  mappingVersions: (service: string, id: string) => [...keys.service(service), 'mappings', id, 'versions'],
  mappingVersion: (service: string, id: string, version: number) => [
    ...keys.mappingVersions(service, id),
    version,
  ],
  removedMappings: (service: string) => [...keys.service(service), 'removed-mappings'],
  trial: (service: string, question: unknown) => ['trials', service, question],

  recordings: (service: string) => [...keys.service(service), 'recordings'],
  recordedCalls: (service: string, id: string) => [...keys.recordings(service), id, 'calls'],
  latencies: (service: string) => [...keys.recordings(service), 'latencies'],
  recordedLatencies: (service: string, id: string) => [...keys.recordings(service), id, 'latencies'],
  latestCalls: (service: string, id: string) => [...keys.recordings(service), id, 'latest-calls'],
  recordingTrial: (service: string, filter: unknown) => [
    ...keys.service(service),
    'recording-trials',
    filter,
  ],

  impairments: () => ['impairments'],
  impairmentsIn: (lane: string) => [...keys.impairments(), lane],
  lines: () => ['lines'],

  reference: () => ['reference'],
  referenceOf: (operation: string) => [...keys.reference(), operation],

  scenarios: () => ['scenarios'],
  scenarioText: (name: string) => [...keys.scenarios(), name],
  lanes: () => ['lanes'],
  laneText: (name: string) => [...keys.lanes(), name],

  callLists: () => ['calls'],
  calls: (text: string, lane: string, service: string) => [...keys.callLists(), { text, lane, service }],
  imports: (wanted: object) => ['imports', wanted],
  search: (text: string) => ['search', text],
  timeline: (service: string, lane: string) => [...keys.callLists(), 'timeline', { service, lane }],
  callDetails: () => ['call'],
  call: (id: string) => [...keys.callDetails(), id],
  comparison: (id: string, other: string, all: boolean) => [
    ...keys.callDetails(),
    id,
    'comparison',
    { other, all },
  ],
  retries: (lane: string) => ['retries', lane],
};

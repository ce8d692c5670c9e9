/** An error that a client may see: a stable code, a status, and a sentence that says what to do. */
export class AppError extends Error {
  readonly code: string
  readonly status: number
  readonly title: string

  constructor(code: string, status: number, title: string, detail: string) {
    super(detail)
    this.code = code
    this.status = status
    this.title = title
  }
}

/** Every error of the API, so that wording, status and code stay together. */
export const errors = {
  signInNeeded: () =>
    new AppError('SIGN_IN_NEEDED', 401, 'Sign in first', 'Sign in, or send an API token as "Authorization: Bearer …".'),
  wrongPassword: () => new AppError('WRONG_PASSWORD', 401, 'Not signed in', 'The name or the password is wrong.'),
  tooManyTries: (minutes: number) =>
    new AppError('TOO_MANY_TRIES', 429, 'Too many tries', `Wait ${minutes} minutes before you sign in again.`),
  otherSite: () =>
    new AppError('OTHER_SITE', 403, 'Request from another site', 'Open Zest Lamp itself and try again there.'),
  accountsExist: () =>
    new AppError(
      'ACCOUNTS_EXIST',
      409,
      'An account exists already',
      'Sign in with it; you can add accounts once signed in.',
    ),
  nameTaken: (name: string) =>
    new AppError('NAME_TAKEN', 409, 'Name taken', `An account named "${name}" already exists. Choose another name.`),
  edgeNameTaken: (name: string) =>
    new AppError('EDGE_NAME_TAKEN', 409, 'Name taken', `An edge named "${name}" already exists. Choose another name.`),
  cdnNeedsTls: (apiAddress: string) =>
    new AppError(
      'CDN_NEEDS_TLS',
      422,
      'The way to the provider is open',
      `Over ${apiAddress} anybody on the way could read your token. Give an address that begins with https, or one in a private network.`,
    ),
  filesUnreachable: (sentence: string) =>
    new AppError('FILES_UNREACHABLE', 502, 'The files could not be reached', sentence),
  upkeepUnderWay: () =>
    new AppError(
      'UPKEEP_UNDER_WAY',
      409,
      'Upkeep is under way',
      'One thing at a time: wait until the backup, the survey, the clean-up or the look from outside has ended, or cancel it.',
    ),
  picturesUnderWay: () =>
    new AppError(
      'PICTURES_UNDER_WAY',
      409,
      'Pictures are being worked on',
      'One thing at a time: wait until the work on pictures has ended, or cancel it.',
    ),
  databaseUnreachable: (sentence: string) =>
    new AppError('DATABASE_UNREACHABLE', 502, 'The database could not be reached', sentence),
  cleanUpNotAllowed: (sentence: string) => new AppError('CLEAN_UP_NOT_ALLOWED', 409, 'No clean-up yet', sentence),
  noRules: () =>
    new AppError('NO_RULES', 422, 'No rules', 'Tick at least one kind of rules that says something for this server.'),
  notRehearsed: () =>
    new AppError(
      'NOT_REHEARSED',
      409,
      'Not rehearsed',
      'Only rules that were rehearsed and broke nothing are put on your server. Rehearse them first.',
    ),
  cdnWithoutApi: () =>
    new AppError(
      'CDN_WITHOUT_API',
      409,
      'This CDN has no API',
      'Set it up at the provider yourself, with the address shown as its origin, then compare the responses.',
    ),
  cdnHostNeeded: () =>
    new AppError(
      'CDN_HOST_NEEDED',
      409,
      'No host name yet',
      'Set the CDN up first, or enter the host name it has given you.',
    ),
  cdnProvider: (sentence: string) => new AppError('CDN_PROVIDER', 502, 'The provider did not do it', sentence),
  edgeNeedsTls: (homeUrl: string) =>
    new AppError(
      'EDGE_NEEDS_TLS',
      422,
      'The way to home is open',
      `Over ${homeUrl} anybody on the way could read what visitors send. Give an address that begins with https, or one in a private network.`,
    ),
  edgeIsAway: () =>
    new AppError(
      'EDGE_IS_AWAY',
      409,
      'The edge is not connected',
      'It can be filled once its machine is connected again. Start it, or check whether it can reach this Zest Lamp.',
    ),
  noEdgeServes: () =>
    new AppError(
      'NO_EDGE_SERVES',
      409,
      'No edge serves this site',
      'Nothing can be measured through an edge before one has joined and serves this site. Add one under Edges.',
    ),
  homeHasNoPlace: () =>
    new AppError(
      'HOME_HAS_NO_PLACE',
      409,
      'It is not known where your server stands',
      'Say under Visitors where your server (origin) stands; without it, distances cannot be calculated.',
    ),
  originKeyNeeded: (status: number) =>
    new AppError(
      'ORIGIN_KEY_NEEDED',
      409,
      'Your server asks for the secret field',
      `Without it your server answers with status ${status}, and visitors would get that. Take the rules out of your web server first, then stop sending the field.`,
    ),
  noAudience: () =>
    new AppError(
      'NO_AUDIENCE',
      422,
      'No visitors yet',
      'Say in which places your visitors are, with a share for each.',
    ),
  visitsNotKnown: () =>
    new AppError(
      'VISITS_NOT_KNOWN',
      409,
      'Visits are not known yet',
      'Less than an hour of visits has been counted here. Give the page visits of a month yourself.',
    ),
  pageNotMeasured: (path: string) =>
    new AppError(
      'PAGE_NOT_MEASURED',
      409,
      'The page has not been measured yet',
      `Measure ${path} once under Measure: the effect of distance is calculated from that load.`,
    ),
  badEdgeToken: () =>
    new AppError(
      'BAD_EDGE_TOKEN',
      401,
      'This token does not work',
      'It has been used already, or a newer one has been made. Make a new token under Edges, and join with that.',
    ),
  badEdgeKey: () =>
    new AppError(
      'BAD_EDGE_KEY',
      401,
      'This is no edge of ours',
      'The edge has been removed, or another machine has joined in its place. Make a new token under Edges, and join again.',
    ),
  notFound: (what: string) =>
    new AppError('NOT_FOUND', 404, 'Not found', `There is no such ${what}. It may have been removed; reload the list.`),
  noRoute: (method: string, path: string) =>
    new AppError('NO_ROUTE', 404, 'Not found', `The API has nothing at ${method} ${path}. See /api/v1/openapi.json.`),
  bodyTooLarge: (limit: string) =>
    new AppError(
      'BODY_TOO_LARGE',
      413,
      'Request too large',
      `The body of a request may have at most ${limit}. Send less at a time.`,
    ),
  notJson: () =>
    new AppError(
      'NOT_JSON',
      400,
      'Not JSON',
      'Send the body as well-formed JSON with "Content-Type: application/json".',
    ),
  badSetupFile: (sentence: string) => new AppError('BAD_SETUP_FILE', 422, 'This setup cannot be imported', sentence),
  siteStopped: (sentence: string) => new AppError('SITE_NOT_USABLE', 422, 'This site cannot be connected', sentence),
  notControl: (host: string) =>
    new AppError(
      'NOT_CONTROL',
      421,
      'Not an address of Zest Lamp',
      `Zest Lamp does not answer as ${host}. Use localhost or an IP address, or add the name to ZEST_CONTROL_NAMES.`,
    ),
  controlsHost: (host: string) =>
    new AppError(
      'HOST_OF_CONTROL',
      409,
      'Host name of Zest Lamp itself',
      `${host} is a name of Zest Lamp itself: a site under it would get the cookies of whoever is signed in here. Choose another host name.`,
    ),
  nulInText: () =>
    new AppError(
      'BAD_INPUT',
      422,
      'The input is not valid',
      'The text contains the character NUL (\\u0000). Remove it.',
    ),
  noPage: (path: string) => new AppError('NO_PAGE', 404, 'Not found', `There is nothing at ${path}.`),
  hostTaken: (host: string) =>
    new AppError(
      'HOST_TAKEN',
      409,
      'Host name taken',
      `Another site is already served as ${host}. Choose another host name.`,
    ),
  measuring: () =>
    new AppError(
      'MEASUREMENT_UNDER_WAY',
      409,
      'A measurement is under way',
      'It measures the current setups. Wait until it ends, or cancel it in the job list.',
    ),
  alreadyMeasuring: () =>
    new AppError(
      'ALREADY_MEASURING',
      409,
      'A measurement is under way',
      'Each site can run one measurement at a time. Wait until it ends, or cancel it.',
    ),
  nothingToKeep: () =>
    new AppError('NOTHING_TO_KEEP', 409, 'Trial is the same as live', 'Switch something on in the trial first.'),
  nothingToTry: () =>
    new AppError(
      'NOTHING_TO_TRY',
      409,
      'Trial is the same as live',
      'The comparison would measure the same setup twice. Switch on a remedy in the trial first.',
    ),
  trialChanged: () =>
    new AppError(
      'TRIAL_CHANGED',
      409,
      'The trial has changed since',
      'Somebody changed the trial after you opened it. Review it again, then decide.',
    ),
  alreadyLive: (number: number) =>
    new AppError('ALREADY_LIVE', 409, 'Already live', `Visitors already get version ${number}.`),
  unknownPage: () =>
    new AppError(
      'UNKNOWN_PAGE',
      422,
      'Unknown page',
      'One of the pages is not in the sample of this site. Reload the site.',
    ),
  unknownVisitor: () =>
    new AppError(
      'UNKNOWN_VISITOR',
      422,
      'Unknown visitor',
      'One of the visitors is not defined for this site. Reload the site.',
    ),
  recordingFailed: (why: string) => new AppError('RECORDING_FAILED', 422, 'The recording stopped', why),
  noRecording: () =>
    new AppError(
      'NO_RECORDING',
      409,
      'Nothing is being recorded',
      'The recording was ended, or somebody started another one. Start again.',
    ),
  unknownJourney: () =>
    new AppError(
      'UNKNOWN_JOURNEY',
      422,
      'Unknown journey',
      'A visitor follows a journey that this site does not have. Save the journey first.',
    ),
  journeyInUse: (visitor: string) =>
    new AppError(
      'JOURNEY_IN_USE',
      409,
      'The journey is in use',
      `The visitor “${visitor}” follows it. First choose another journey, or none, for this visitor.`,
    ),
  unknownVersion: (number: number) =>
    new AppError(
      'UNKNOWN_VERSION',
      422,
      'Unknown version',
      `This site has no version ${number}. See the ledger for its versions.`,
    ),
  noTokenAccount: () =>
    new AppError(
      'NO_TOKEN_ACCOUNT',
      409,
      'No account for this token',
      'The token given at start belongs to no account. Sign in with an account to create tokens.',
    ),
  jobEnded: () => new AppError('JOB_ENDED', 409, 'Already ended', 'This job has ended; there is nothing to cancel.'),
  otherHost: (host: string) =>
    new AppError(
      'OTHER_HOST',
      422,
      'Not a host of this site',
      `${host} is not a host of this site. Add it under “Other hosts” first.`,
    ),
  nothingToSkip: () =>
    new AppError(
      'NOTHING_TO_SKIP',
      409,
      'Nothing to skip',
      'This job is not waiting for anything that can be skipped. Cancel it, or let it continue.',
    ),
  nothingToCheck: () =>
    new AppError(
      'NOTHING_TO_CHECK',
      409,
      'Nothing to check',
      'The trial stores no kind of page against your server’s word and shares none despite cookies. The safe defaults need no privacy check.',
    ),
  privacyCheckNeeded: (kinds: readonly string[]) =>
    new AppError(
      'PRIVACY_CHECK_NEEDED',
      409,
      'A privacy check must pass first',
      `In the trial, visitors whom the safe defaults would keep separate share stored copies of ${kinds.join(', ')}. Run the privacy check with these settings; the trial can be kept once nothing of one visitor reaches another.`,
    ),
  pageCacheOff: () =>
    new AppError(
      'PAGE_CACHE_OFF',
      409,
      'The page cache is off',
      'Live stores no pages, so nothing can be warmed. Try the page cache in the trial and keep it first.',
    ),
  otherAddress: (address: string) =>
    new AppError(
      'OTHER_ADDRESS',
      422,
      'Not an address of this site',
      `"${address}" is not an address of this site. Give a path such as /stories, or a full address of the site.`,
    ),
  notReached: (sentence: string) => new AppError('NOT_REACHED', 422, 'No answer', sentence),
  privateAddress: (sentence: string) => new AppError('PRIVATE_ADDRESS', 422, 'A private address', sentence),
  hostNotNamed: (host: string) =>
    new AppError(
      'HOST_NOT_NAMED',
      422,
      'Not a host of this site',
      `${host} is not one of the hosts of this site. Add it under Site, "Other hosts", if it belongs to it.`,
    ),
  badArchive: (why: string) => new AppError('BAD_ARCHIVE', 422, 'This archive cannot be read', why),
  badLog: () =>
    new AppError(
      'BAD_LOG',
      422,
      'This log cannot be read',
      'No line is in Common or Combined Log Format. Use the access log as the web server writes it by default.',
    ),
  gettingCertificate: () =>
    new AppError(
      'CERTIFICATE_UNDER_WAY',
      409,
      'A certificate is being got already',
      'Wait until it is there, or cancel it.',
    ),
  liveCheckUnderWay: () =>
    new AppError(
      'LIVE_CHECK_UNDER_WAY',
      409,
      'The steps are already being checked',
      'Wait until that is done, or cancel it.',
    ),
  serverPagesUnderWay: () =>
    new AppError(
      'SERVER_PAGES_UNDER_WAY',
      409,
      'Pages are already being written to your web server',
      'Wait until that is done, or cancel it.',
    ),
  badZone: (why: string) => new AppError('BAD_ZONE', 422, 'The zone cannot be read', why),
  badCertificate: (why: string) => new AppError('BAD_CERTIFICATE', 422, 'This certificate cannot be used', why),
  badSignature: (why: string) =>
    new AppError(
      'BAD_SIGNATURE',
      401,
      'The event’s signature is not valid',
      `${why} Sign "@method", "@path" and "content-digest" with the secret of this site (RFC 9421, hmac-sha256).`,
    ),
  valueAboveMemory: (value: number, memory: number) =>
    new AppError(
      'VALUE_ABOVE_MEMORY',
      422,
      'Largest value too large',
      `One value of ${value} bytes would take more than a quarter of the memory (${memory} bytes). Lower the largest value, or give more memory.`,
    ),
  pageNotBuilt: (page: string, why: string) =>
    new AppError(
      'PAGE_NOT_BUILT',
      502,
      'The page could not be built',
      `Your server (origin) did not build ${page}: ${why} Nothing was removed.`,
    ),
  objectsUnused: () =>
    new AppError(
      'OBJECTS_UNUSED',
      409,
      'The object cache is not used',
      'It is off, or no content system has connected yet: there is nothing to measure.',
    ),
  objectsDown: (why: string) =>
    new AppError(
      'OBJECTS_DOWN',
      503,
      'The object cache does not answer',
      `${why} What you set is kept, and in force as soon as it answers.`,
    ),
  deliveryDown: (why: string) =>
    new AppError('DELIVERY_DOWN', 503, 'Delivery does not answer', `${why} Start Zest Lamp again if this lasts.`),
} as const

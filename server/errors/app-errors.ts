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
  wrongPassword: () =>
    new AppError('WRONG_PASSWORD', 401, 'Not signed in', 'That name and password do not go together.'),
  tooManyTries: (minutes: number) =>
    new AppError('TOO_MANY_TRIES', 429, 'Too many tries', `Wait ${minutes} minutes before trying to sign in again.`),
  otherSite: () => new AppError('OTHER_SITE', 403, 'Request from another site', 'Open Zest Lamp itself and try there.'),
  accountsExist: () =>
    new AppError(
      'ACCOUNTS_EXIST',
      409,
      'An account exists already',
      'Sign in with it; further accounts are made once signed in.',
    ),
  nameTaken: (name: string) =>
    new AppError('NAME_TAKEN', 409, 'Name taken', `There is an account named "${name}" already. Choose another name.`),
  notFound: (what: string) =>
    new AppError(
      'NOT_FOUND',
      404,
      'Not found',
      `There is no such ${what}. It may have been removed; load the list again.`,
    ),
  noRoute: (method: string, path: string) =>
    new AppError('NO_ROUTE', 404, 'Not found', `The API has nothing at ${method} ${path}. See /api/v1/openapi.json.`),
  bodyTooLarge: (limit: string) =>
    new AppError(
      'BODY_TOO_LARGE',
      413,
      'Request too large',
      `The body of a request may have ${limit} at most. Send less at once.`,
    ),
  notJson: () =>
    new AppError(
      'NOT_JSON',
      400,
      'Not JSON',
      'Send the body as well-formed JSON with "Content-Type: application/json".',
    ),
  badSetupFile: (sentence: string) => new AppError('BAD_SETUP_FILE', 422, 'This setup cannot be taken over', sentence),
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
      'The input does not fit',
      'A text holds the character NUL (\\u0000), which no name, path or address has. Leave it out.',
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
      'It measures the setups as they are. Wait until it ends, or cancel it in the job tray.',
    ),
  alreadyMeasuring: () =>
    new AppError(
      'ALREADY_MEASURING',
      409,
      'A measurement is under way',
      'One measurement at a time for each site. Wait until it ends, or cancel it.',
    ),
  nothingToKeep: () =>
    new AppError('NOTHING_TO_KEEP', 409, 'Trial is the same as live', 'Switch something on in the trial first.'),
  nothingToTry: () =>
    new AppError(
      'NOTHING_TO_TRY',
      409,
      'Trial is the same as live',
      'Comparing them would measure the same setup twice. Switch a remedy on in the trial first.',
    ),
  trialChanged: () =>
    new AppError(
      'TRIAL_CHANGED',
      409,
      'The trial has changed since',
      'Somebody changed the trial after you opened it. Look at it again, then decide.',
    ),
  alreadyLive: (number: number) =>
    new AppError('ALREADY_LIVE', 409, 'Already live', `Version ${number} is what visitors get now.`),
  unknownPage: () =>
    new AppError(
      'UNKNOWN_PAGE',
      422,
      'Unknown page',
      'One of the pages is not in the sample of this site. Load the site again.',
    ),
  unknownVisitor: () =>
    new AppError(
      'UNKNOWN_VISITOR',
      422,
      'Unknown visitor',
      'One of the visitors is not defined for this site. Load the site again.',
    ),
  recordingFailed: (why: string) => new AppError('RECORDING_FAILED', 422, 'The recording went no further', why),
  noRecording: () =>
    new AppError(
      'NO_RECORDING',
      409,
      'Nothing is being recorded',
      'The recording was ended, or somebody began another one. Begin again.',
    ),
  unknownJourney: () =>
    new AppError(
      'UNKNOWN_JOURNEY',
      422,
      'Unknown journey',
      'A visitor is to follow a journey that this site does not have. Save the journey first.',
    ),
  journeyInUse: (visitor: string) =>
    new AppError(
      'JOURNEY_IN_USE',
      409,
      'The journey is in use',
      `The visitor “${visitor}” follows it. Let the visitor follow another one, or none, first.`,
    ),
  unknownVersion: (number: number) =>
    new AppError(
      'UNKNOWN_VERSION',
      422,
      'Unknown version',
      `This site has no version ${number}. The ledger lists those it has.`,
    ),
  noTokenAccount: () =>
    new AppError(
      'NO_TOKEN_ACCOUNT',
      409,
      'No account to keep a token for',
      'The token given at start belongs to no account. Sign in with an account to make further tokens.',
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
      'This job is not waiting for anything that could be skipped. Cancel it, or let it go on.',
    ),
  nothingToCheck: () =>
    new AppError(
      'NOTHING_TO_CHECK',
      409,
      'Nothing to check',
      'No kind of page in the trial is stored against the origin’s word or shared in spite of cookies. The safe defaults need no privacy check.',
    ),
  privacyCheckNeeded: (kinds: readonly string[]) =>
    new AppError(
      'PRIVACY_CHECK_NEEDED',
      409,
      'A privacy check has to pass first',
      `The trial hands stored copies of ${kinds.join(', ')} to visitors whom the safe defaults keep apart. Run the privacy check with these settings; it can be kept once nothing of one visitor reaches another.`,
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
      'No line is in Common or Combined Log Format. Give the access log of the web server as it writes it by default.',
    ),
  badCertificate: (why: string) => new AppError('BAD_CERTIFICATE', 422, 'This certificate cannot be used', why),
  badSignature: (why: string) =>
    new AppError(
      'BAD_SIGNATURE',
      401,
      'The event is not signed rightly',
      `${why} Sign "@method", "@path" and "content-digest" with the secret of this site (RFC 9421, hmac-sha256).`,
    ),
  deliveryDown: (why: string) =>
    new AppError('DELIVERY_DOWN', 503, 'Delivery does not answer', `${why} Start Zest Lamp again if this lasts.`),
} as const

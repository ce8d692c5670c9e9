/** Cookie, query parameter and header field that carry the key of a trial. */
export const TRIAL_KEY = 'zest-trial-key'

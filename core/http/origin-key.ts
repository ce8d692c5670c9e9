/** Field by which an origin knows Zest Lamp: requests without it may be anybody's. */
export const ORIGIN_KEY_FIELD = 'zest-origin-key'

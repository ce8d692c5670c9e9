/** Larger pages pass through untouched: they are exports or mistakes, and would keep a core busy for seconds. */
export const LARGEST_PAGE_BYTES = 5_000_000

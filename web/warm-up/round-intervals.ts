/** How often a round over the whole list may come by. */
export const ROUND_INTERVALS = [
  { value: 0, title: 'no schedule' },
  { value: 1, title: 'every hour' },
  { value: 2, title: 'every 2 hours' },
  { value: 4, title: 'every 4 hours' },
  { value: 6, title: 'every 6 hours' },
  { value: 12, title: 'every 12 hours' },
  { value: 24, title: 'every day' },
  { value: 168, title: 'every week' },
]

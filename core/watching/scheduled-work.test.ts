import { expect, test } from 'vitest'
import { scheduledAddresses } from './scheduled-work.ts'

test.each([
  ['<img src="/cron/run" width=1>', ['/cron/run']],
  ['<script>fetch("https://www.x.example/tasks/scheduler?token=1&amp;x=2")</script>', ['/tasks/scheduler?token=1&x=2']],
  ["<script>navigator.sendBeacon('/site-cron.php')</script>", ['/site-cron.php']],
  ['<a href="/history-of-crontabs">x</a><script src="/js/cron.js"></script>', []],
  ['<img src="https://other.example/cron">', []],
])('%s', (html, found) => {
  expect(scheduledAddresses(html, 'https://www.x.example/')).toEqual(found)
})

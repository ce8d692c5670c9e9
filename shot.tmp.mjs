import { chromium } from 'playwright-core'
const steps = JSON.parse(process.env.STEPS)
const args = process.argv.slice(2)
const phone = args.includes('phone'), dark = args.includes('dark')
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] })
const context = await browser.newContext({ viewport: phone ? { width: 390, height: 844 } : { width: 1280, height: 800 }, colorScheme: dark ? 'dark' : 'light', storageState: (await import('node:fs')).existsSync('/tmp/state.json') ? '/tmp/state.json' : undefined })
const page = await context.newPage()
page.on('console', m => { if (m.type()==='error') console.log('CONSOLE', m.text().slice(0,300)) })
page.on('pageerror', e => console.log('PAGEERROR', e.message.slice(0,300)))
await page.goto('http://127.0.0.1:8400/')
await page.waitForTimeout(800)
if (await page.getByLabel('Password').count()) {
  await page.getByLabel('Name').fill('keeper@orrin-sound.example'); await page.getByLabel('Password').fill('nine quays'); await page.getByRole('button',{name:'Sign in'}).click(); await page.waitForTimeout(1200)
  await context.storageState({ path: '/tmp/state.json' })
}
for (const s of steps) {
  try {
  if (s.goto) { await page.goto('http://127.0.0.1:8400' + s.goto); await page.waitForTimeout(s.wait ?? 1500) }
  if (s.click) await page.locator(s.click).first().click({ timeout: 8000 })
  if (s.role) await page.getByRole(s.role, { name: s.name, exact: s.exact ?? false }).first().click({ timeout: 8000 })
  if (s.fill) await page.getByLabel(s.fill).first().fill(s.text)
  if (s.scroll) await page.evaluate((dy) => document.querySelector('#main').closest('.stage, main').scrollBy?.(0, dy) ?? 0, s.scroll), await page.mouse.move(700, 500), await page.mouse.wheel(0, s.scroll)
  if (s.into) await page.locator(s.into).first().scrollIntoViewIfNeeded()
  if (s.wait) await page.waitForTimeout(s.wait)
  if (s.shot) { await page.waitForTimeout(400); await page.screenshot({ path: `/tmp/${s.shot}.png`, fullPage: s.full ?? false }); console.log('shot', s.shot) }
  } catch (e) { console.log('STEP FAILED', JSON.stringify(s), e.message.split('\n')[0]) }
}
await browser.close()

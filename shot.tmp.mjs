import { chromium } from 'playwright-core'
const dark=process.argv.includes('dark'), phone=process.argv.includes('phone')
const b=await chromium.launch({executablePath:'/usr/bin/chromium',args:['--no-sandbox','--disable-gpu','--disable-background-networking']})
const c=await b.newContext({viewport:phone?{width:390,height:844}:{width:1280,height:800},colorScheme:dark?'dark':'light'})
const p=await c.newPage(); const errs=[]; p.on('console',m=>{if(m.type()==='error')errs.push(m.text())}); p.on('pageerror',e=>errs.push(String(e)))
await p.goto('http://127.0.0.1:8400/'); await p.getByLabel('Name').fill('keeper@orrin-sound.example'); await p.getByLabel('Password').fill('nine quays'); await p.keyboard.press('Enter')
await p.waitForTimeout(1500)
import('node:fs').then(()=>0); const {readFileSync}=await import('node:fs'); if(process.env.LEAK) await p.route('**/privacy',r=>r.request().method()==='GET'?r.fulfill({contentType:'application/json',body:readFileSync('/tmp/leak.json','utf8')}):r.continue());
const steps=JSON.parse(process.env.STEPS)
const base=p.url()
for(const s of steps){ if(s.goto) {const [site]=await (await p.request.get('http://127.0.0.1:8400/api/v1/sites')).json(); await p.goto(`http://127.0.0.1:8400/sites/${site.id}${s.goto}`); await p.waitForTimeout(1500)}
 if(s.click) {await p.getByText(s.click,{exact:s.exact??false}).first().click(); await p.waitForTimeout(1000)}
 if(s.role) {await p.getByRole(s.role,{name:s.name}).first().click(); await p.waitForTimeout(1000)}
 if(s.scroll) {await p.getByText(s.scroll).first().scrollIntoViewIfNeeded(); await p.mouse.wheel(0,s.dy??0); await p.waitForTimeout(500)}
 if(s.shot) await p.screenshot({path:`/tmp/shots/${s.shot}.png`,fullPage:s.full??false}) 
 if(s.axe){await p.addScriptTag({path:'/work/main/node_modules/axe-core/axe.min.js'}).catch(()=>{}); }
}
console.log('errors',errs.slice(0,5)); await b.close()

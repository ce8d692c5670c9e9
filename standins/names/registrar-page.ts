const escape = (text: string): string => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;')

/** Where the ferry company's domain is kept: its zone as a text that can be changed. @param problem what was wrong with the last change */
export const registrarPage = (zone: string, text: string, problem: string | null): string => `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>Harbour Names</title>
<style>
body { font: 1rem/1.5 system-ui, sans-serif; max-width: 48rem; margin: 2rem auto; padding: 0 1rem; background: #f4f6f1; color: #1d2b26 }
textarea { width: 100%; height: 24rem; font: .95rem/1.5 ui-monospace, monospace; box-sizing: border-box }
button { font: inherit; padding: .4rem 1rem; margin-top: .6rem }
.problem { border-left: .3rem solid #a3291c; padding-left: .7rem }
</style>
<h1>Harbour Names</h1>
<p>Records of <b>${escape(zone)}</b>. This stands in for the place where a domain is kept.</p>
${problem === null ? '' : `<p class="problem" role="alert">${escape(problem)}</p>`}
<form method="post">
<label for="zone">Zone file</label>
<textarea id="zone" name="zone" spellcheck="false">
${escape(text)}</textarea>
<button>Save</button>
</form>
`

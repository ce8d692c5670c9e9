/** A page for visitors when the origin cannot answer: plain, self-contained, never stored. */
export const problemPage = (title: string, sentence: string): string => `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="robots" content="noindex">
<title>${title}</title>
<style>
  :root { color-scheme: light dark }
  body { font: 1.05rem/1.6 system-ui, sans-serif; max-width: 34rem; margin: 18vh auto 0; padding: 0 1.5rem }
  h1 { font-size: 1.5rem; line-height: 1.25 }
</style>
</head>
<body>
<h1>${title}</h1>
<p>${sentence}</p>
</body>
</html>
`

import { z } from 'zod'

// Schemas compiled with Function() would need a content security policy that allows any script. Zod looks at this whenever a schema is
// made, and a bundler is free to evaluate whatever makes one before the entry; so everything else is loaded from here.
z.config({ jitless: true })
void import('./main.ts')

import { SiteDatabase } from './content/database.ts'
import { seed } from './content/seed.ts'

/** Makes the ferry site's database with all that stands in it, for demos to begin with. */
const [folder] = process.argv.slice(2)
if (folder === undefined) throw new Error('Give a folder.')
const database = await SiteDatabase.open(folder)
await seed(database)
await database.close()

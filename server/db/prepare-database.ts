import { openDatabase } from './database.ts'

/** Makes an empty database in its current form, for first starts to begin with: making one anew takes seconds, a copy takes a moment. */
const [folder, migrations] = process.argv.slice(2)
if (folder === undefined || migrations === undefined) throw new Error('Give a folder and that of the migrations.')
const { close } = await openDatabase({ folder, migrations })
await close()

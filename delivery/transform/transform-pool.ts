import { BULK_TASKS } from './bulk-tasks.ts'
import { PAGE_TASKS } from './page-tasks.ts'

type Tasks = Record<string, (input: never) => Promise<unknown>>
type Carried<T extends Tasks> = {
  readonly [Name in keyof T]: (...input: Parameters<T[Name]>) => ReturnType<T[Name]>
}

/** Work on pages and files, wherever it is carried out. */
export interface TransformPool extends Carried<typeof PAGE_TASKS>, Carried<typeof BULK_TASKS> {
  /** Bulk tasks that wait or are under way. */
  readonly waiting: () => number
  readonly close: () => Promise<void>
}

export type PageTask = {
  [Name in keyof typeof PAGE_TASKS]: { name: Name; input: Parameters<(typeof PAGE_TASKS)[Name]>[0] }
}[keyof typeof PAGE_TASKS]
export type BulkTask = {
  [Name in keyof typeof BULK_TASKS]: { name: Name; input: Parameters<(typeof BULK_TASKS)[Name]>[0] }
}[keyof typeof BULK_TASKS]

/** The same within this process: for tests, and where threads cannot be had. */
export const transformHere = (): TransformPool => {
  let waiting = 0
  const counted =
    <Input extends unknown[], Output>(task: (...input: Input) => Promise<Output>) =>
    async (...input: Input): Promise<Output> => {
      waiting++
      return task(...input).finally(() => waiting--)
    }
  return {
    ...PAGE_TASKS,
    pictureFacts: counted(BULK_TASKS.pictureFacts),
    picture: counted(BULK_TASKS.picture),
    quickPicture: counted(BULK_TASKS.quickPicture),
    font: counted(BULK_TASKS.font),
    script: counted(BULK_TASKS.script),
    waiting: () => waiting,
    close: async () => undefined,
  }
}

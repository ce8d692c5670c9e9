import { describeFoundGroups } from '../testing/found-groups.ts'

/** The same facts where there are about 200,000 rows. */
describeFoundGroups(100)

import { describeFoundGroups } from '../testing/found-groups.ts'

describeFoundGroups(1)

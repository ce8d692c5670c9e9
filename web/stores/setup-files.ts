import { MeasurementHead } from '../../core/contracts/measurements.ts'
import { Report } from '../../core/contracts/report.ts'
import { ImportedSetup, SetupFile } from '../../core/contracts/setup-file.ts'
import { callApi } from '../api/client.ts'

/** Setups as files, other sites to carry them to, and the report for a client. */

export const exportSetup = (siteId: string, version: number | null): Promise<SetupFile> =>
  callApi('GET', `/sites/${siteId}/setup-file${version === null ? '' : `?version=${version}`}`, SetupFile)

export const importSetup = (siteId: string, file: unknown, apply: boolean): Promise<ImportedSetup> =>
  callApi('POST', `/sites/${siteId}/setup-file`, ImportedSetup, { file, apply })

export const measureAgain = (siteId: string, entryId: string): Promise<MeasurementHead> =>
  callApi('POST', `/sites/${siteId}/ledger/${entryId}/measure-again`, MeasurementHead)

export const loadReport = (siteId: string, state: Report['state']): Promise<Report> =>
  callApi('GET', `/sites/${siteId}/report?state=${state}`, Report)

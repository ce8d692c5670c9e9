import { simulateLoad } from './page-load.ts'
import type { PageRecording, PredictedVisitor } from './recording.ts'

/** After so many rounds hardly anything moves any more. */
const ROUNDS = 4

/**
 * Tell the server's time from the link's. What a browser records as waiting holds both: the server at work, and the answer standing
 * behind others on a busy link. Servers are taken to need no time; the recording is loaded in the model as the visitor it was recorded
 * with, and whatever wait the model's link does not explain is the server's. The least time that explains a wait is taken: on a
 * busy link a server may be slower without anybody noticing.
 * @param waits recorded from the request to the first byte, ms, by id
 */
export const calibrated = (
  recording: PageRecording,
  visitor: PredictedVisitor,
  waits: readonly number[],
): PageRecording => {
  let known: PageRecording = {
    ...recording,
    resources: recording.resources.map((resource) => ({ ...resource, serverMs: 0 })),
  }
  for (let round = 0; round < ROUNDS; round++) {
    const { requests } = simulateLoad(known, visitor)
    known = {
      ...known,
      resources: known.resources.map((resource) => {
        const request = requests.get(resource.id)
        if (request === undefined || Number.isNaN(request.firstByteMs)) return resource
        const unexplained = waits[resource.id]! - (request.firstByteMs - request.sentMs)
        const upperMs = recording.resources[resource.id]!.serverMs
        return { ...resource, serverMs: Math.min(upperMs, Math.max(0, resource.serverMs + unexplained)) }
      }),
    }
  }
  return known
}

import { fieldValue, type Fields } from './fields.ts'

/** Server-sent events (WHATWG HTML §9.2), lines of JSON, and parts that replace each other: they come piece by piece, often without an end. */
const STREAM =
  /^\s*(?:text\/event-stream|application\/(?:x-ndjson|ndjson|x-jsonlines|jsonl|json-seq|stream\+json|grpc(?:-web)?(?:\+\w+)?)|multipart\/x-mixed-replace)\b/i

/** Whether an answer is a stream: each piece is for now, and nobody may be made to wait for its end. */
export const isStream = (fields: Fields): boolean => STREAM.test(fieldValue(fields, 'content-type') ?? '')

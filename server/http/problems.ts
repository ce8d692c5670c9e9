import type { Context, Next } from 'koa'
import { z } from 'zod'
import type { Problem } from '../../core/contracts/problem.ts'
import { AppError, errors } from '../errors/app-errors.ts'
import { DeliveryUnavailable } from '../../delivery/control/client.ts'
import { ObjectsUnavailable } from '../../objects/control/client.ts'

const pathText = (path: readonly PropertyKey[]): string => path.map(String).join('.')

/** What is wrong with input, one line for each part. */
const fromZod = (error: z.ZodError): Problem => {
  const found = error.issues.map(({ path, message }) => ({ path: pathText(path), message }))
  const first = found[0]!
  const where = first.path === '' ? '' : `"${first.path}": `
  return {
    type: 'about:blank',
    title: 'The input is not valid',
    status: 422,
    code: 'BAD_INPUT',
    detail: `${where}${first.message}${found.length > 1 ? ` (and ${found.length - 1} more, see errors)` : ''}`,
    errors: found,
  }
}

const fromAppError = ({ code, status, title, message }: AppError): Problem => ({
  type: 'about:blank',
  title,
  status,
  code,
  detail: message,
})

const statusOf = (error: unknown): number | undefined => (error as { status?: number }).status

const toProblem = (error: unknown): Problem | undefined => {
  if (error instanceof AppError) return fromAppError(error)
  if (error instanceof z.ZodError) return fromZod(error)
  if (error instanceof ObjectsUnavailable) return fromAppError(errors.objectsDown(error.message))
  if (error instanceof DeliveryUnavailable) return fromAppError(errors.deliveryDown(error.message))
  if (statusOf(error) === 413) return fromAppError(errors.bodyTooLarge('1 MB (archives and logs: 32 MB)'))
  if (statusOf(error) === 400) return fromAppError(errors.notJson())
  return undefined
}

/** Every error becomes problem details (RFC 9457); what nobody foresaw is logged and told without its insides. */
export const errorResponse =
  (log: (error: unknown) => void) =>
  async (ctx: Context, next: Next): Promise<void> => {
    try {
      await next()
    } catch (error) {
      const known = toProblem(error)
      if (known === undefined) log(error)
      const problem: Problem = known ?? {
        type: 'about:blank',
        title: 'Something went wrong',
        status: 500,
        code: 'UNEXPECTED',
        detail: 'Nothing was changed. Try again; if it happens again, see the log of the control process.',
      }
      ctx.status = problem.status
      ctx.type = 'application/problem+json'
      ctx.body = JSON.stringify(problem)
    }
  }

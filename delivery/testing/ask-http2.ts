import { connect, type ClientHttp2Session } from 'node:http2'

/** For tests: requests over TLS and HTTP/2, as a browser sends them. */
export const openHttp2 = (port: number, servername = 'live.example'): ClientHttp2Session =>
  connect(`https://127.0.0.1:${port}`, { rejectUnauthorized: false, servername })

export interface Http2Answer {
  readonly status: number
  readonly fields: Readonly<Record<string, string | string[] | undefined>>
  readonly body: string
}

export const askHttp2 = (
  session: ClientHttp2Session,
  path: string,
  fields: Readonly<Record<string, string>> = {},
  authority = 'live.example',
): Promise<Http2Answer> =>
  new Promise((resolve, reject) => {
    const stream = session.request({ ':path': path, ':authority': authority, ...fields })
    let got: Record<string, string | string[] | undefined> = {}
    const chunks: Buffer[] = []
    stream.on('response', (headers) => (got = headers as unknown as typeof got))
    stream.on('data', (chunk: Buffer) => chunks.push(chunk))
    stream.on('end', () =>
      resolve({ status: Number(got[':status']), fields: got, body: Buffer.concat(chunks).toString() }),
    )
    stream.on('error', reject)
    stream.end()
  })

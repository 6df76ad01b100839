import { ApiError, api, cookie } from './client'
import { connection } from './connection'

/** Send files with fields; `onShare` is called with how much of them has gone out. Whether they may be sent
 *  is asked first: a refusal in their midst ends the connection, and its sentence may be lost. */
export async function upload<T>(
  path: string,
  form: FormData | string,
  onShare: (share: number) => void = () => {},
): Promise<T> {
  await api.POST('/api/files/check', { body: { path: `/api${path.split('?')[0]}`, size: sizeOf(form) } })
  return await sent<T>(path, form, onShare)
}

function sizeOf(form: FormData | string): number {
  if (typeof form === 'string') return new Blob([form]).size
  return [...form.values()].reduce((sum, part) => sum + (part instanceof File ? part.size : part.length), 0)
}

function sent<T>(path: string, form: FormData | string, onShare: (share: number) => void): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    request.open('POST', `/api${path}`)
    request.setRequestHeader('X-CSRFToken', cookie('csrftoken'))
    request.upload.onprogress = (event) => event.lengthComputable && onShare(event.loaded / event.total)
    request.onerror = () =>
      reject(new ApiError(0, 'The server does not answer; the file was not brought in.', [], [], false))
    request.onload = () => {
      let reply: { detail?: string; fields?: string[] } = {}
      try {
        reply = JSON.parse(request.responseText)
      } catch {
        // What is no JSON is no answer of ours.
      }
      if (request.status === 401) connection.signedOut = true
      if (request.status < 300) resolve(reply as T)
      else
        reject(
          new ApiError(
            request.status,
            reply.detail ?? `The server failed (${request.status}).`,
            reply.fields,
          ),
        )
    }
    request.send(form)
  })
}

import { api, ask } from './client'

/** Send a picture as it is; gives the digest that the service keeps it under. */
export async function sendPicture(file: File): Promise<string> {
  const kept = await ask(
    api.POST('/api/v1/pictures', {
      // The body is the file itself, not JSON.
      body: file as unknown as string,
      bodySerializer: (body: unknown) => body as Blob,
      headers: { 'Content-Type': file.type },
    }),
  )
  return kept.digest
}

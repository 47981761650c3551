import { randomBytes } from 'node:crypto'
import { open, rename, unlink } from 'node:fs/promises'

/**
 * Puts a text in the place of a file: written beside it under a name that nobody can foresee, and never through a link; then renamed, which
 * replaces a link at the place instead of following it. For the owner alone, unless another file says otherwise.
 */
export async function replaceFile(
  place: string,
  text: string,
  like?: { mode: number; uid: number; gid: number },
): Promise<void> {
  const draft = `${place}.${randomBytes(9).toString('base64url')}.jexo-draft`
  const handle = await open(draft, 'wx', 0o600)
  try {
    await handle.writeFile(text)
    if (like) {
      const own = await handle.stat()
      // Only an administrator may give files away.
      if (own.uid !== like.uid || own.gid !== like.gid) await handle.chown(like.uid, like.gid).catch(() => {})
      await handle.chmod(like.mode & 0o7777)
    }
    await handle.sync()
    await handle.close()
    await rename(draft, place)
  } catch (error) {
    await handle.close().catch(() => {})
    await unlink(draft).catch(() => {})
    throw error
  }
}

import { randomBytes } from 'node:crypto'
import { open, rename, unlink } from 'node:fs/promises'

/**
 * Replaces a file atomically: writes a draft with an unpredictable name next to it, never through a link, and renames
 * it. A link at the path is replaced, not followed. The file is readable for its owner only, unless `like` gives
 * another mode and owner.
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
      // Only an administrator may change the owner of a file.
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

import { defineStore } from 'pinia'
import { ref } from 'vue'
import { ask, type Session } from '../api/client'

/** Who is signed in. */
export const useSession = defineStore('session', () => {
  const name = ref<string | null>(null)
  /** The keys that this person has given to actions. */
  const keys = ref<Record<string, string>>({})
  let asked: Promise<void> | null = null

  function take(s: Session): void {
    name.value = s.name
    keys.value = s.keys ?? {}
  }

  const ready = () =>
    (asked ??= ask<Session>('GET', '/session').then(
      take,
      () => void (asked = null),
    ))

  async function signIn(as: string, password: string): Promise<void> {
    take(await ask<Session>('POST', '/session', { name: as, password }))
  }

  async function signOut(): Promise<void> {
    await ask<Session>('DELETE', '/session')
    name.value = null
    keys.value = {}
  }

  /** Keep this person's keys on the server; they count at once. */
  async function keepKeys(next: Record<string, string>): Promise<void> {
    const was = keys.value
    keys.value = next
    try {
      take(await ask<Session>('PUT', '/session/keys', { keys: next }))
    } catch (error) {
      keys.value = was
      throw error
    }
  }

  return { name, keys, keepKeys, ready, signIn, signOut }
})

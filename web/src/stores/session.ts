import { defineStore } from 'pinia'
import { ref } from 'vue'
import { ask, type Session } from '../api/client'

/** Who is signed in. */
export const useSession = defineStore('session', () => {
  const name = ref<string | null>(null)
  let asked: Promise<void> | null = null

  const ready = () =>
    (asked ??= ask<Session>('GET', '/session').then(
      (s) => void (name.value = s.name),
      () => void (asked = null),
    ))

  async function signIn(as: string, password: string): Promise<void> {
    name.value = (await ask<Session>('POST', '/session', { name: as, password })).name
  }

  async function signOut(): Promise<void> {
    await ask<Session>('DELETE', '/session')
    name.value = null
  }

  return { name, ready, signIn, signOut }
})

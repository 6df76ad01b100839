import { defineStore } from 'pinia'
import { ref } from 'vue'
import { answer, api, type Mark, type Session } from '../api/client'

/** Who is signed in. */
export const useSession = defineStore('session', () => {
  const name = ref<string | null>(null)
  /** The keys that this person has given to actions. */
  const keys = ref<Record<string, string>>({})
  /** There is no account yet: the first is to be made. */
  const first = ref(false)
  const mark = ref<Mark>('diamond')
  /** What the installation is called. */
  const installation = ref('')
  const mayMake = ref(false)
  /** Whether this person may change the installation's settings. */
  const looksAfter = ref(false)
  let asked: Promise<void> | null = null
  const json = document.getElementById('session')?.textContent
  const given = json ? (JSON.parse(json) as Session) : null

  function take(s: Session): void {
    name.value = s.name
    first.value = s.first ?? false
    keys.value = s.keys ?? {}
    mark.value = (s.mark ?? 'diamond') as Mark
    installation.value = s.installation ?? ''
    mayMake.value = s.may_make ?? false
    looksAfter.value = s.looks_after ?? false
  }

  /** Who came with the page; asked of the server when that does not say. */
  const ready = () =>
    (asked ??= (given ? Promise.resolve(given) : answer(api.GET('/api/session'))).then(
      take,
      () => void (asked = null),
    ))

  async function signIn(as: string, password: string): Promise<void> {
    take(await answer(api.POST('/api/session', { body: { name: as, password } })))
  }

  /** Make the first account of the installation, with the code that was printed where it was started. */
  async function makeFirst(as: string, password: string, code: string): Promise<void> {
    take(await answer(api.POST('/api/session/first', { body: { name: as, password, code } })))
  }

  async function signOut(): Promise<void> {
    take(await answer(api.DELETE('/api/session')))
  }

  /** Change the password; wherever else this person is signed in, that ends. */
  async function changePassword(old: string, fresh: string): Promise<void> {
    take(await answer(api.PUT('/api/session/password', { body: { old, new: fresh } })))
  }

  /** Keep this person's keys on the server; they count at once. */
  async function keepKeys(next: Record<string, string>): Promise<void> {
    const was = keys.value
    keys.value = next
    try {
      take(await answer(api.PUT('/api/session/keys', { body: { keys: next } })))
    } catch (error) {
      keys.value = was
      throw error
    }
  }

  return {
    name,
    keys,
    first,
    mark,
    installation,
    mayMake,
    looksAfter,
    take,
    makeFirst,
    changePassword,
    keepKeys,
    ready,
    signIn,
    signOut,
  }
})

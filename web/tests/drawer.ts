/** The browser's own store of values by key, in memory: stands in for idb-keyval. */
export const drawer = new Map<string, unknown>()
export const get = async (key: string) => drawer.get(key)
export const set = async (key: string, value: unknown) => void drawer.set(key, value)

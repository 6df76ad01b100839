<script setup lang="ts">
import { computed, ref } from 'vue'
import { ACTIONS, useKeys, type Action } from './keys'

const shown = defineModel<boolean>({ required: true })
const keys = useKeys()
const asking = ref<Action | null>(null)
const trouble = ref('')
const FIXED = [
  [
    'Fly',
    [
      ['↑ ↓', 'ahead, back'],
      ['← →', 'aside'],
      ['Page ↑ ↓', 'rise, sink'],
      ['Shift', 'five times as fast'],
      ['drag', 'look about (eye), move the sheet (plan)'],
      ['Shift drag', 'swing round the place under the pointer (also the middle button)'],
      ['wheel', 'go ahead (eye), scale (plan)'],
      ['double click', 'on the plan: stand there'],
      ['1 … 9', 'go to a kept view'],
    ],
  ],
  [
    'With a brush',
    [
      ['Shift click', "straight from the last stroke's end"],
      ['Alt drag', 'thin in place of thicken, and back'],
      ['Ctrl drag', 'aside: radius, up and down: strength'],
      ['right drag', 'look about'],
      ['Esc', 'drop the stroke, the draft, then the brush'],
    ],
  ],
  [
    'Always',
    [
      ['Ctrl Z', 'undo your last action'],
      ['Ctrl Shift Z', 'do it again'],
      ['Enter', 'end a line or outline'],
      ['Delete', 'remove the chosen shape'],
      ['Alt ↑ ↓', 'move the focused stand in the column'],
      ['?', 'this sheet'],
    ],
  ],
] as const
const groups = computed(() =>
  ['Brush', 'Ground bench', 'Otherwise'].map(
    (g) => [g, (Object.keys(ACTIONS) as Action[]).filter((a) => ACTIONS[a][0] === g)] as const,
  ),
)
function ask(action: Action) {
  asking.value = action
  trouble.value = ''
}
async function press(event: KeyboardEvent) {
  if (!asking.value) return
  event.preventDefault()
  event.stopPropagation()
  if (event.key === 'Escape') return void (asking.value = null)
  const action = asking.value
  asking.value = null
  trouble.value = await keys.change(action, event.key)
  if (trouble.value) asking.value = action
}
</script>

<template>
  <v-dialog v-model="shown" max-width="760" aria-label="Keys">
    <v-card class="sheet" data-test="keys" @keydown.capture="press">
      <h2>Keys</h2>
      <p class="faint head">
        Click a key to change it; it is kept for you.
        <v-btn
          v-if="keys.changed"
          data-test="keys-reset"
          @click="keys.reset().then((said) => (trouble = said))"
          >As they were</v-btn
        >
      </p>
      <p v-if="trouble" class="over head" role="alert" data-test="keys-trouble">{{ trouble }}</p>
      <div class="columns">
        <section v-for="[title, actions] in groups" :key="title">
          <h3>{{ title }}</h3>
          <dl>
            <template v-for="a in actions" :key="a">
              <dt>
                <v-btn
                  size="x-small"
                  min-width="32"
                  :aria-pressed="asking === a"
                  :aria-label="`Key for: ${ACTIONS[a][2]}`"
                  :data-test="`key-${a}`"
                  @click="ask(a)"
                  >{{ asking === a ? '…' : keys.of(a) }}</v-btn
                >
              </dt>
              <dd>{{ ACTIONS[a][2] }}</dd>
            </template>
          </dl>
        </section>
        <section v-for="[title, rows] in FIXED" :key="title">
          <h3>{{ title }}</h3>
          <dl>
            <template v-for="[k, what] in rows" :key="k">
              <dt>
                <kbd>{{ k }}</kbd>
              </dt>
              <dd>{{ what }}</dd>
            </template>
          </dl>
        </section>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.sheet {
  padding: 14px 26px 22px;
}
.head {
  margin: 4px 0 0;
}
.columns {
  columns: 2;
  column-gap: 34px;
}
section {
  break-inside: avoid;
}
dl {
  display: grid;
  grid-template-columns: 92px 1fr;
  gap: 3px 8px;
  margin: 0;
}
dd {
  margin: 0;
}
</style>

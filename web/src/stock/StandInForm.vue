<script setup lang="ts">
import { ref } from 'vue'
import { answer, api } from '../api/client'
import { useShelf, type Group } from './shelf'
import ColourField from '../shared/ColourField.vue'
import NumberField from '../shared/NumberField.vue'
import { StandInInBounds } from '../api/bounds'
import { useAttempt } from '../shared/useAttempt'

/** A plain shape in a size and colour, to block out with before the art is there. */
const emit = defineEmits<{ kept: [slugs: string[]]; close: [] }>()
const SHAPES = ['cone', 'cylinder', 'ball', 'block', 'cross'] as const
const shelf = useShelf()
const INKS = ['#5a7a40', '#8d9460', '#a8751f', '#8f98a6', '#7b2d26', '#52627a']
const shape = ref<(typeof SHAPES)[number]>('cone')
const name = ref('')
const group = ref<Group>('tree')
const height = ref(6)
const width = ref(3)
const colour = ref(INKS[0]!)
const { trouble, busy, attempt } = useAttempt()
const put = () =>
  attempt(async () => {
    const made = await answer(
      api.POST('/api/shelf/new/stand-in', {
        body: {
          name: name.value,
          group: group.value,
          shape: shape.value,
          height: height.value,
          width: width.value,
          colour: colour.value,
        },
      }),
    )
    emit('kept', [made.slug])
  })
/** The shape from the side, 100 high at its own proportions. */
const outline = () => {
  const w = Math.min((width.value / height.value) * 100, 200)
  return {
    cone: `M${-w / 2} 0L0 -100L${w / 2} 0Z`,
    cylinder: `M${-w / 2} 0V-100H${w / 2}V0Z`,
    ball: `M${-w / 2} -50a${w / 2} 50 0 1 1 ${w} 0a${w / 2} 50 0 1 1 ${-w} 0Z`,
    block: `M${-w / 2} 0V-100H${w / 2}V0Z`,
    cross: `M${-w / 2} 0V-100H${w / 2}V0ZM-2 0V-100H2V0Z`,
  }[shape.value]
}
</script>

<template>
  <section class="stand-in" data-test="stand-in">
    <p class="faint">Plant it now, and exchange it for the real mesh later: every plant stays where it is.</p>
    <div class="form">
      <svg viewBox="-110 -110 220 118" role="img" :aria-label="`A ${shape}, ${height} m high`">
        <path :d="outline()" :fill="colour" stroke="var(--ink)" stroke-width="1" />
        <line x1="-110" x2="110" y1="0" y2="0" stroke="var(--ink)" />
      </svg>
      <div class="fields">
        <v-text-field v-model="name" label="Name" hide-details data-test="stand-in-name" />
        <v-combobox v-model="group" :items="shelf.groups" label="Group" maxlength="40" hide-details />
        <v-select
          v-model="shape"
          :items="[...SHAPES]"
          label="Shape"
          hide-details
          data-test="stand-in-shape"
        />
        <NumberField
          inside
          :value="height"
          label="Height"
          test="stand-in-height"
          :bounds="StandInInBounds.height"
          @change="height = $event"
        />
        <NumberField
          inside
          :value="width"
          label="Width"
          :bounds="StandInInBounds.width"
          @change="width = $event"
        />
        <v-btn-toggle
          :model-value="colour"
          density="compact"
          aria-label="Colour"
          @update:model-value="colour = $event ?? colour"
          ><v-btn v-for="c in INKS" :key="c" :value="c" :aria-label="`Colour ${c}`" size="small"
            ><i :style="{ background: c }" /></v-btn
        ></v-btn-toggle>
        <p class="own">
          <span>or a colour of your own</span>
          <ColourField
            label="Colour of the stand-in"
            :value="colour"
            test="stand-in-colour"
            @change="colour = $event"
          />
        </p>
      </div>
    </div>
    <p v-if="trouble" class="over" role="alert">{{ trouble }}</p>
    <div class="foot">
      <v-btn variant="text" @click="emit('close')">Cancel</v-btn>
      <v-btn
        color="primary"
        variant="flat"
        :loading="busy"
        :disabled="!name.trim() || !height || !width"
        data-test="stand-in-keep"
        @click="put"
        >Put it on the shelf</v-btn
      >
    </div>
  </section>
</template>

<style scoped>
.own {
  display: flex;
  align-items: center;
  gap: 10px;
  margin: 0;
}
.stand-in {
  display: grid;
  gap: 12px;
}
p {
  margin: 0;
}
.form {
  display: grid;
  grid-template-columns: 1fr 1.2fr;
  gap: 18px;
  align-items: end;
}
.fields {
  display: grid;
  gap: 10px;
}
i {
  width: 18px;
  height: 18px;
  border: 1px solid var(--ink);
}
.foot {
  display: flex;
  justify-content: end;
  gap: 10px;
  border-top: 1px solid var(--ink);
  padding-top: 10px;
}
</style>

<script setup lang="ts">
import { computed } from 'vue'

import { api, asPlan, dataOf } from '../api/client'
import BeforeAfter from '../components/BeforeAfter.vue'
import MomentList from '../components/MomentList.vue'
import RehearsalList from '../components/RehearsalList.vue'
import SceneMap, { type Dot } from '../components/SceneMap.vue'
import DryRunSteps from '../components/DryRunSteps.vue'
import StaleNote from '../components/StaleNote.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useDraft, useOfDraft } from '../composables/useDraft'
import { useDryRun } from '../composables/useDryRun'
import { sessionTime } from '../times'

const props = defineProps<{ game: string }>()
const draft = useDraft(props.game)
const { data: map, stale, error, reload } = useOfDraft(draft, async (text) => dataOf(await api.POST('/v1/map', asPlan(text))))
const dryRun = useDryRun(draft)
const { view, at, player } = dryRun

const pickPlayer = (name: string) => (player.value = name)
const me = computed(() => view.value?.stands.find((p) => p.player === player.value))
const scene = computed(() => me.value?.scene || map.value?.scenes.find((s) => s.spots.some((x) => x.start))?.id || map.value?.scenes[0]?.id || '')
const title = computed(() => map.value?.scenes.find((s) => s.id === scene.value)?.title)
const unit = computed(() => map.value?.unit ?? '')

const dots = computed<Dot[]>(() => {
  const out: Dot[] = (view.value?.things ?? []).filter((t) => t.scene === scene.value && !t.holder).map((t) => ({ id: t.id, at: t.at, kind: 'thing' }))
  for (const p of view.value?.stands ?? []) if (p.present && p.scene === scene.value) out.push({ id: p.player, at: p.at, kind: p.dead ? 'dead' : 'player' })
  return out
})

/** A click on the map is a moment of the player that is picked. */
function onPick(what: string) {
  const id = what.slice(what.indexOf(':') + 1)
  if (what.startsWith('player:')) {
    pickPlayer(id)
    return
  }
  if (!me.value?.present || !map.value) return
  const spots = map.value.scenes.flatMap((s) => s.spots)
  if (what.startsWith('spot:')) {
    const spot = spots.find((s) => s.id === id)
    if (spot?.point) dryRun.act({ touch: spot.point, by: player.value, at: spot.at })
    else if (spot) dryRun.act({ move: player.value, to: spot.at })
  }
  const prop = what.startsWith('prop:') && map.value.scenes.flatMap((s) => s.props).find((p) => p.id === id)
  if (prop) dryRun.act({ move: player.value, to: prop.at })
  if (what.startsWith('passage:')) {
    const p = map.value.passages.find((x) => x.id === id)
    const from = spots.find((s) => s.id === (p?.from.startsWith(`${scene.value}/`) ? p.from : p?.to))
    if (p && from) dryRun.act({ pass: p.id, by: player.value, at: from.at })
  }
}

function onGround(_: string, to: number[]) {
  if (me.value?.present) dryRun.act({ move: player.value, to })
}

const now = computed(() => (at.value ? dryRun.words(at.value - 1) : 'before anything happened'))
const time = computed(() => (at.value ? (view.value?.steps[at.value - 1]?.time ?? 0) : 0))
</script>

<template>
  <div class="page">
    <h1 class="page-title">Dry run</h1>
    <p class="page-lead">Try the plan without a game: click on the map, or choose what happens. {{ draft.changed.value ? 'It is played as it stands here, not as it was saved.' : '' }}</p>
    <TroubleNote :text="error || dryRun.error.value || (draft.ready.value ? '' : draft.error.value)" @retry="draft.ready.value ? (reload(), dryRun.play()) : draft.load()" />
    <StaleNote v-if="stale" :game="game" :draft="draft" what="dry run" :shown="view !== undefined" />
    <div v-if="map && view" class="three" :class="{ stale }">
      <MomentList :map="map" :dry-run="dryRun" :player="player" @pick="pickPlayer" />
      <div class="middle">
        <div class="sheet">
          <p class="where">
            <b>{{ title }}</b> <span class="quiet">{{ now }}; {{ sessionTime(time) }} on the session’s clock</span>
          </p>
          <SceneMap :map="map" :scene="scene" :dots="dots" :picked="`player:${player}`" :active="me?.present ?? false" :rows="15" @pick="onPick" @ground="onGround" />
          <p class="hint quiet">Click the ground to move {{ player }}, a passage to go through, a checkpoint to touch it. To scale, in {{ unit }}s.</p>
        </div>
        <BeforeAfter :game="game" :view="view" :player="player" />
      </div>
      <aside class="sheet right">
        <DryRunSteps :dry-run="dryRun" />
        <RehearsalList :draft="draft" :dry-run="dryRun" />
      </aside>
    </div>
    <WaitingNote v-else-if="!error && !dryRun.error.value && !draft.error.value && !stale" text="Playing the steps …" />
  </div>
</template>

<style scoped>
.three {
  display: grid;
  grid-template-columns: 236px minmax(0, 1fr) 312px;
  gap: 14px;
  align-items: start;
}

.stale {
  opacity: 0.55;
  pointer-events: none;
}

.middle {
  display: grid;
  gap: 12px;
}

.middle :deep(.map) {
  height: 290px;
}

.where,
.hint {
  margin: 0;
  padding: 6px 12px;
}

.where {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  border-bottom: 1px solid var(--line);
}

.hint {
  font-size: 13px;
  border-top: 1px solid var(--line);
}

.right {
  display: grid;
  grid-template-rows: minmax(0, 1.1fr) minmax(0, 1fr);
  height: calc(100vh - 190px);
  min-height: 480px;
}

@media (max-width: 1100px) {
  .three {
    grid-template-columns: 220px minmax(0, 1fr);
    grid-template-rows: auto 1fr;
  }

  .three > :first-child {
    grid-row: 1 / span 2;
  }

  .middle :deep(.scroll) {
    height: auto;
    max-height: 420px;
  }

  .right {
    height: auto;
  }
}
</style>

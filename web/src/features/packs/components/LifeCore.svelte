<!-- The life of a pack as a core of rock, newest on top: beds of flying, lying, lying full; what stood out on leaders. -->
<script lang="ts">
  import { MONTHS, partsOfDate } from '$shared/format/moments';
  import { shortDate } from '$shared/format/dates';
  import type { Schemas } from '$shared/api/client';

  let { life }: { life: Schemas['LifeOut'] } = $props();
  const H = 520;
  const W = 44;
  const days = (d: string) => new Date(`${d}T00:00:00Z`).getTime() / 86_400_000;
  const first = $derived(Math.min(...life.beds.map((b) => days(b.begins)), ...life.marks.map((m) => days(m.at))));
  const last = $derived(Math.max(...life.beds.map((b) => days(b.ends)), ...life.marks.map((m) => days(m.at)), first + 1));
  const y = (d: number) => 8 + ((last - d) / (last - first)) * (H - 20);
  const FILL = { flown: 'p-charging', shelf: 'p-resting', 'left full': 'p-waiting' } as const;
  function month(d: string): string {
    const { year, month: n } = partsOfDate(d);
    return `${MONTHS[n - 1]!.slice(0, 3)} ${String(year).slice(2)}`;
  }
  const short = shortDate;

  interface Note {
    at: number;
    when: string;
    words: string;
    grave: boolean;
  }
  /** The gravest and latest notes that find room; a note keeps 30 px for itself. */
  const notes = $derived.by(() => {
    const big = life.beds.filter((b) => b.flights >= 5 || days(b.ends) - days(b.begins) > 40);
    const all: Note[] = [
      ...life.marks.map((m) => ({ at: y(days(m.at)), when: short(m.at), words: m.words, grave: m.grave })),
      ...big.map((b) => ({
        at: y((days(b.begins) + days(b.ends)) / 2),
        when: b.flights ? `to ${month(b.ends)}` : `${Math.round(days(b.ends) - days(b.begins))} days`,
        words: b.flights ? `${b.flights} flights` : b.state === 'left full' ? 'left full' : 'in storage',
        grave: b.state === 'left full',
      })),
    ].sort((a, b) => Number(b.grave) - Number(a.grave) || a.at - b.at);
    const placed: (Note & { text: number })[] = [];
    for (const n of all) {
      const text = Math.min(H - 22, Math.max(12, n.at));
      if (placed.every((p) => Math.abs(p.text - text) >= 32)) placed.push({ ...n, text });
    }
    return placed;
  });
</script>

<svg
  width="190"
  height={H}
  class="block"
  role="img"
  aria-label="Life of the pack, newest on top: {notes.map((n) => `${n.words}, ${n.when}`).join('; ')}">
  {#each life.beds as b, k (k)}
    {@const top = y(days(b.ends))}
    <rect
      x="2"
      y={top}
      width={W}
      height={Math.max(1.5, y(days(b.begins)) - top)}
      fill="url(#{FILL[b.state]})"
      stroke="var(--ink)"
      stroke-width=".8" />
  {/each}
  <rect x="2" y={y(last)} width={W} height={y(first) - y(last)} fill="none" stroke="var(--ink)" stroke-width="1.6" />
  {#each notes as n, k (k)}
    <path
      d="M{W + 2} {n.at}L{W + 14} {n.text}H{W + 20}"
      fill="none"
      stroke={n.grave ? 'var(--madder)' : 'var(--ink)'}
      stroke-width="1" />
    <circle cx={W + 2} cy={n.at} r="2.6" fill={n.grave ? 'var(--madder)' : 'var(--ink)'} />
    <text x={W + 24} y={n.text + 1} font-size="12" font-weight="620" fill={n.grave ? 'var(--madder)' : 'var(--ink)'}
      >{n.words.length > 20 ? `${n.words.slice(0, 19)}…` : n.words}<title>{n.words}</title></text>
    <text x={W + 24} y={n.text + 14} font-size="11.5" fill="var(--ink-2)">{n.when}</text>
  {/each}
</svg>

/** What is known of a pack, an aircraft or a job, by the keys that calculators ask for. */
import type { Schemas } from '$shared/api/client';

type Fleet = Schemas['FleetOut'];
type Known = Record<string, unknown>;

const found = <T extends { id?: unknown }>(rows: readonly T[], id: unknown) => rows.find((r) => r.id === id);
const given = (known: Known) => Object.fromEntries(Object.entries(known).filter(([, v]) => v !== null && v !== undefined));

export function ofPack(fleet: Fleet, id: string): Known {
  const pack = found(fleet.packs, id);
  const model = pack && found(fleet.pack_models, pack.model_id);
  if (!pack || !model) return {};
  const wh = model.rated_wh;
  return given({
    chemistry: model.chemistry,
    cells_count: model.cells,
    capacity_ah: model.capacity_ah,
    rated_ah: model.capacity_ah,
    rated_wh: wh,
    energy_wh: wh,
    health_frac: pack.health_frac,
    start_frac: pack.charge_frac,
    from_frac: pack.charge_frac,
    label_c_count: model.label_c,
    price_count: pack.price ?? model.price,
    cv_from_frac: model.cv_from_frac,
    most_rate_c: model.most_rate_c,
  });
}

export function ofAircraft(fleet: Fleet, id: string): Known {
  const craft = found(fleet.aircraft, id);
  const model = craft && found(fleet.aircraft_models, craft.model_id);
  if (!craft || !model) return {};
  const packs = found(fleet.pack_models, model.pack_model_id);
  return given({
    mass_kg: model.mass_kg,
    rotors_count: model.rotors,
    rotor_m: model.rotor_m,
    energy_wh: packs ? packs.rated_wh * model.packs_count : null,
    cruise_m_s: model.cruise_m_s,
    airspeed_m_s: model.cruise_m_s,
    mean_w: craft.power_w ?? model.power_w,
  });
}

export function ofJob(fleet: Fleet, job: Schemas['JobOut']): Known {
  const camera = found(fleet.cameras, job.camera_id);
  const model = found(fleet.aircraft_models, job.aircraft_model_id);
  const c = camera ? (camera as unknown as Record<string, unknown>) : {};
  const sensor = ['sensor_w_mm', 'sensor_h_mm', 'focal_mm', 'image_w_px', 'image_h_px'].map((k) => [`camera.${k}`, c[k]]);
  return given({
    ...(job.work as unknown as Known),
    tank_l: model?.tank_l,
    swath_m: (job.work as unknown as Known).swath_m ?? model?.swath_m,
    ...Object.fromEntries(sensor as [string, unknown][]),
  });
}

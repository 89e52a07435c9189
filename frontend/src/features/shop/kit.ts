import type { Instrument } from "../../api/client";

/** Until when an instrument's calibration is good; nothing where nobody wrote down when it was. */
export function calibratedUntil(instrument: Instrument): Date | null {
  if (!instrument.calibrated_on) return null;
  const until = new Date(instrument.calibrated_on);
  until.setMonth(until.getMonth() + instrument.calibration_months);
  return until;
}

/** What is to be said of its calibration at a reading; nothing while it is good or unknown. */
export function outOfDate(instrument: Instrument, today: Date): string {
  const until = calibratedUntil(instrument);
  if (until === null || until >= today) return "";
  return `Its calibration was good until ${until.toLocaleDateString("en-GB")}.`;
}

/** A name for a new instrument that the kit does not have yet. */
export function newId(measures: string, taken: string[]): string {
  for (let n = 1; ; n += 1) {
    const id = `${measures}_${n}`;
    if (!taken.includes(id)) return id;
  }
}

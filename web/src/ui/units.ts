/** What stands in the model in US units, as the shop measures it. */
interface Measure {
	/** The unit that is shown. */
	unit: string;
	/** The model's figure as it is shown, rounded as on papers. */
	shown: (us: number) => number;
	/** What was typed, in the model's unit. */
	read: (typed: number) => number;
	/** Figure and unit. */
	said: (us: number) => string;
}

/** Metric units for US ones: by definition, the inch is 25.4 mm. Torque stays as drivers are marked. */
const metric: Record<string, { unit: string; each: number; digits: (v: number) => number }> = {
	ft: { unit: 'm', each: 0.3048, digits: (v) => (v < 1 ? 2 : 1) },
	in: { unit: 'mm', each: 25.4, digits: (v) => (v < 10 ? 1 : 0) },
	'in³': { unit: 'cm³', each: 16.387064, digits: (v) => (v < 100 ? 1 : 0) },
};

let inMetric = false;

/** Measures are shown as the shop set it. */
export function inUnits(units: string) {
	inMetric = units === 'metric';
}

export function measure(us: string): Measure {
	const m = inMetric ? metric[us] : undefined;
	if (!m) {
		return { unit: us, shown: (v) => v, read: (v) => v, said: (v) => `${v} ${us}` };
	}
	const shown = (v: number) => Number((v * m.each).toFixed(m.digits(v * m.each)));
	return { unit: m.unit, shown, read: (v) => v / m.each, said: (v) => `${shown(v)} ${m.unit}` };
}

/** What breaking a tab is: the bridge between two screws, bent off with pliers. */
export function TabPicture({ side }: { side: 'hot' | 'neutral' }) {
	const metal = side === 'hot' ? '#d9ae4a' : '#cfcdc9';
	return (
		<svg
			viewBox="0 0 300 132"
			className="my-2 block w-full max-w-[300px]"
			role="img"
			aria-label="The tab, whole and broken off"
		>
			{[0, 150].map((x, i) => (
				<g key={x} transform={`translate(${x} 0)`} stroke="var(--ink)" strokeWidth={2.5}>
					<path d="M14 8h54v92H14" fill="var(--sheet)" />
					<rect x={62} y={18} width={26} height={26} fill={metal} />
					<rect x={62} y={64} width={26} height={26} fill={metal} />
					{i === 0 ? (
						<rect x={74} y={44} width={10} height={20} fill={metal} />
					) : (
						<>
							<path d="M74 47l4 -4l6 3M74 61l5 4l5 -3" fill="none" />
							<g transform="rotate(24 118 58)">
								<rect x={112} y={46} width={10} height={20} fill={metal} />
							</g>
						</>
					)}
					{[31, 77].map((y) => (
						<g key={y}>
							<circle cx={75} cy={y} r={8} fill={metal} />
							<path d={`M70 ${y + 4}l10 -8`} />
						</g>
					))}
					<text x={50} y={124} textAnchor="middle" stroke="none" className="fill-ink text-[17px]">
						{i === 0 ? 'whole' : 'broken off'}
					</text>
				</g>
			))}
		</svg>
	);
}

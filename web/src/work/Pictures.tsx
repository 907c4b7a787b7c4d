import { useEffect, useRef, useState } from 'react';
import type { Call, Work } from '../api/client';
import { useAddPicture, useMarkPicture, useWork } from '../api/hooks';
import { newID } from '../api/newID';
import { Button } from '../ui/Button';
import { PictureInput } from '../ui/PictureInput';
import { Problem } from '../ui/Problem';
import { smaller } from '../ui/picture';
import { timeOf } from '../ui/words';

/** The same on a screen that does not have the work at hand. */
export function PicturesOf({ call, phase, box, heading }: Omit<Props, 'work' | 'all'>) {
	const work = useWork(call.id);
	return work.data ? <Pictures call={call} work={work.data} phase={phase} box={box} heading={heading} /> : null;
}

/** How soon one looks again whether it has come. */
const again = 10_000;

/** A picture; one that a phone has announced and not sent yet says so. */
function Picture({ src, alt }: { src: string; alt: string }) {
	const [missing, setMissing] = useState(false);
	useEffect(() => {
		if (!missing) return;
		const timer = setTimeout(() => setMissing(false), again);
		return () => clearTimeout(timer);
	}, [missing]);
	if (missing)
		return (
			<p
				role="img"
				aria-label={alt}
				className="m-0 grid aspect-4/3 place-items-center border border-rule p-2 text-center text-soft"
			>
				On its way from a phone
			</p>
		);
	return <img src={src} alt={alt} className="block aspect-4/3 w-full object-cover" onError={() => setMissing(true)} />;
}

interface Props {
	call: Call;
	work: Work;
	phase: string;
	box?: string;
	all?: boolean;
	/** Where it stands among other headings. */
	heading?: 'h2' | 'h3';
}

/** The photographs of a phase, and taking one more. */
export function Pictures({ call, work, phase, box, all, heading: Heading = 'h2' }: Props) {
	const add = useAddPicture(call.id);
	const mark = useMarkPicture(call.id);
	const input = useRef<HTMLInputElement>(null);
	const [failed, setFailed] = useState<Error | null>(null);
	const shown = work.pictures.filter((p) => all || (p.phase === phase && (!box || p.box === box)));
	const take = async (file: File | undefined) => {
		if (!file) return;
		try {
			setFailed(null);
			add.mutate({ id: newID(), picture: await smaller(file), phase, box });
		} catch {
			setFailed(new Error(`“${file.name}” is no picture that can be opened.`));
		}
	};
	const label = (box: string) => call.stops.find((s) => s.box === box)?.label ?? '';
	return (
		<section
			aria-label="Photographs"
			className="grid gap-2"
			onDragOver={(e) => e.preventDefault()}
			onDrop={(e) => {
				e.preventDefault();
				take(e.dataTransfer.files[0]);
			}}
		>
			<Heading className="m-0 border-b-2 border-ink text-base font-bold">Photographs</Heading>
			<Problem error={failed ?? add.error ?? mark.error} />
			<ul className="m-0 grid list-none grid-cols-2 gap-2 p-0 wide:grid-cols-3">
				{shown.map((p) => (
					<li key={p.id}>
						<Picture
							src={`/api/v1/calls/${call.id}/pictures/${p.id}`}
							alt={`Taken ${timeOf(p.takenAt)}, ${p.phase}${p.box && `, ${label(p.box)}`}`}
						/>
						<span className="flex items-center text-soft">
							<span className="grow">
								{p.phase} {timeOf(p.takenAt)}
							</span>
							<Button
								kind="quiet"
								aria-label={`Take back the picture of ${timeOf(p.takenAt)}`}
								onClick={() => mark.mutate({ picture: p.id, withdrawn: true })}
							>
								undo
							</Button>
						</span>
					</li>
				))}
			</ul>
			<Button className="justify-self-start" onClick={() => input.current?.click()} disabled={add.isPending}>
				Take or drop a picture
			</Button>
			<PictureInput label="Picture of this step" at={input} take={take} />
		</section>
	);
}

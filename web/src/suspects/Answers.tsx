import type { Call, Test } from '../api/client';
import { useAddReading } from '../api/hooks';
import { newID } from '../api/newID';
import { answerWords } from '../readings/tools';
import { Button } from '../ui/Button';
import { Problem } from '../ui/Problem';

type Asked = NonNullable<Test['asked']>;

/** What came of a reset: evidence like any reading. */
export function Answers({ call, asked }: { call: Call; asked: Asked }) {
	const add = useAddReading(call.id);
	return (
		<div className="flex flex-wrap items-center gap-2">
			{(Object.keys(answerWords) as (keyof typeof answerWords)[]).map((answer) => (
				<Button
					key={answer}
					disabled={add.isPending}
					onClick={() => add.mutate({ id: newID(), reading: { tool: 'told', asked, answer } })}
				>
					{answerWords[answer]}
				</Button>
			))}
			<Problem error={add.error} />
		</div>
	);
}

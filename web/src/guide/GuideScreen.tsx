import { useEffect } from 'react';
import Markdown from 'react-markdown';
import { Link, useParams } from 'react-router';
import remarkGfm from 'remark-gfm';
import { Page } from '../ui/Page';

/** The pages of docs/guide, and their pictures: built in, so that they can be read without a network. */
const texts = import.meta.glob<string>('../../../docs/guide/[0-9]*.md', {
	query: '?raw',
	import: 'default',
	eager: true,
});
const pictures = import.meta.glob<string>('../../../docs/screenshots/*.png', {
	query: '?url',
	import: 'default',
	eager: true,
});

const pages = Object.entries(texts)
	.sort(([a], [b]) => a.localeCompare(b))
	.map(([path, text]) => ({
		key: (path.split('/').at(-1) ?? '').replace(/^\d+-/, '').replace('.md', ''),
		title: text.split('\n')[0]?.replace(/^# /, '') ?? '',
		text,
	}));

export default function GuideScreen() {
	const asked = useParams().page;
	const at = Math.max(
		0,
		pages.findIndex((p) => p.key === asked),
	);
	const page = pages[at];
	const next = pages[at + 1];
	useEffect(() => {
		document.title = `${page?.title ?? 'Guide'}, Elvat`;
	}, [page]);
	return (
		<Page title="Guide">
			<div className="grid gap-x-10 gap-y-4 wide:grid-cols-[15rem_minmax(0,1fr)]">
				<nav aria-label="Pages of the guide" className="max-wide:border-b max-wide:border-rule">
					<ol className="m-0 grid list-none p-0 max-wide:grid-cols-2">
						{pages.map((p, i) => (
							<li key={p.key}>
								<Link
									to={`/guide/${p.key}`}
									aria-current={i === at ? 'page' : undefined}
									className="flex min-h-11 items-center gap-2 border-l-4 border-transparent pl-2 aria-[current]:border-accent aria-[current]:font-bold"
								>
									<span className="mono w-6 text-soft">{i + 1}</span> {p.title}
								</Link>
							</li>
						))}
					</ol>
				</nav>
				<article className="guide max-w-3xl text-lg">
					<Markdown
						remarkPlugins={[remarkGfm]}
						components={{
							h1: ({ children }) => <h2>{children}</h2>,
							img: ({ src, alt }) => {
								const name = String(src).split('/').at(-1);
								return <img src={pictures[`../../../docs/screenshots/${name}`]} alt={alt} loading="lazy" />;
							},
						}}
					>
						{page?.text}
					</Markdown>
					{next && (
						<Link
							to={`/guide/${next.key}`}
							className="inline-flex min-h-11 items-center font-bold underline underline-offset-4"
						>
							Next: {next.title}
						</Link>
					)}
				</article>
			</div>
		</Page>
	);
}

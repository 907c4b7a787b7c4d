/** The longest side of a picture that is sent. */
const longest = 1600;

/** The picture drawn anew, upright and small enough to send. */
export async function smaller(file: File): Promise<Blob> {
	const picture = await createImageBitmap(file, { imageOrientation: 'from-image' });
	const scale = Math.min(1, longest / Math.max(picture.width, picture.height));
	const canvas = document.createElement('canvas');
	canvas.width = Math.round(picture.width * scale);
	canvas.height = Math.round(picture.height * scale);
	canvas.getContext('2d')?.drawImage(picture, 0, 0, canvas.width, canvas.height);
	return new Promise((resolve, reject) =>
		canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error('empty'))), 'image/jpeg', 0.85),
	);
}

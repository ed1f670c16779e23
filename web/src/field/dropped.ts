/** All files of a drop, folders with everything below them. */
export async function dropped(data: DataTransfer): Promise<File[]> {
  const entries = [...data.items].map((i) => i.webkitGetAsEntry()).filter((e) => e != null)
  if (entries.length === 0) return [...data.files]
  return (await Promise.all(entries.map(below))).flat()
}

async function below(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile) return [await new Promise<File>((ok, no) => (entry as FileSystemFileEntry).file(ok, no))]
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  const all: FileSystemEntry[] = []
  // a reader hands over a hundred at a time
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((ok, no) => reader.readEntries(ok, no))
    if (some.length === 0) break
    all.push(...some)
  }
  return (await Promise.all(all.map(below))).flat()
}

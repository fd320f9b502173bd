// Files and pictures wait in the browser's own database: too large for the list of what is kept.
const NAME = "helvor-files";

function opened() {
  return new Promise((yes, no) => {
    const asked = indexedDB.open(NAME, 1);
    asked.onupgradeneeded = () => asked.result.createObjectStore("files");
    asked.onsuccess = () => yes(asked.result);
    asked.onerror = () => no(asked.error);
  });
}

async function inStore(mode, work) {
  const database = await opened();
  try {
    return await new Promise((yes, no) => {
      const transaction = database.transaction("files", mode);
      const asked = work(transaction.objectStore("files"));
      transaction.oncomplete = () => yes(asked.result);
      transaction.onerror = () => no(transaction.error);
      transaction.onabort = () => no(transaction.error);
    });
  } finally {
    database.close();
  }
}

// The content itself, not the file on the disk that may be gone tomorrow.
export async function putFile(key, field, file) {
  const content = await file.arrayBuffer();
  await inStore("readwrite", (store) => store.put({ field, name: file.name, type: file.type, content }, key));
}

export async function getFile(key) {
  const held = await inStore("readonly", (store) => store.get(key));
  return held ? { field: held.field, file: new File([held.content], held.name, { type: held.type }) } : null;
}

export const dropFile = (key) => inStore("readwrite", (store) => store.delete(key));

// Photos that wait on the phone until they can be sent: too large for where ticks are kept.
const opened = () =>
  new Promise((done, failed) => {
    const asked = indexedDB.open("ember-bench", 1);
    asked.onupgradeneeded = () => asked.result.createObjectStore("photos", { keyPath: "id" });
    asked.onsuccess = () => done(asked.result);
    asked.onerror = () => failed(asked.error);
  });

async function within(mode, act) {
  const base = await opened();
  try {
    return await new Promise((done, failed) => {
      const change = base.transaction("photos", mode);
      const asked = act(change.objectStore("photos"));
      change.oncomplete = () => done(asked.result);
      change.onerror = change.onabort = () => failed(change.error);
    });
  } finally {
    base.close();
  }
}

export const keepPhoto = (photo) => within("readwrite", (photos) => photos.put(photo));
export const dropPhoto = (id) => within("readwrite", (photos) => photos.delete(id));
export const photosOf = async (uid) =>
  (await within("readonly", (photos) => photos.getAll())).filter((photo) => photo.uid === uid);

// No larger than a page needs, and without what a camera writes beside the picture.
const MOST_PX = 1600;
export async function smaller(file) {
  try {
    const picture = await createImageBitmap(file, { imageOrientation: "from-image" });
    const share = Math.min(1, MOST_PX / Math.max(picture.width, picture.height));
    const canvas = new OffscreenCanvas(Math.round(picture.width * share), Math.round(picture.height * share));
    canvas.getContext("2d").drawImage(picture, 0, 0, canvas.width, canvas.height);
    return await canvas.convertToBlob({ type: "image/jpeg", quality: 0.85 });
  } catch {
    return file;
  }
}

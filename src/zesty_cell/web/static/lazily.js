// A page's script that only that page needs: fetched when it is there.
export const lazily = (load, name) => () => ({
  async init() {
    const made = (await load())[name]();
    Object.assign(this, made);
    made.init.call(this);
  },
});

/**
 * The factory of a component: what it returns has the library's own properties on `this` (see `page.d.ts`).
 * @template {object} T
 * @template {string[]} S
 * @param {(...settings: S) => T & ThisType<T & Magics>} make
 * @returns {(...settings: S) => T}
 */
export const component = (make) => make;

/** Whose a mapping is that is not everybody's: the text `scenario "storm"`, taken apart. */
export interface Owner {
  kind: 'lane' | 'scenario';
  name: string;
}

export function ownerOf(origin?: string): Owner | undefined {
  const [, kind, name] = /^(lane|scenario) "(.*)"$/.exec(origin ?? '') ?? [];
  return kind && name ? { kind: kind as Owner['kind'], name } : undefined;
}

/** Where a mapping is edited: on its own page, in a lane's name, or with its whole scenario. */
export function editorOf(service: string, id: string, origin?: string): string {
  const owner = ownerOf(origin);
  if (owner?.kind === 'scenario') return `/scenarios?${new URLSearchParams({ scenario: owner.name })}`;
  const page = `/services/${encodeURIComponent(service)}/mappings/${encodeURIComponent(id)}`;
  return owner ? `${page}?${new URLSearchParams({ lane: owner.name })}` : page;
}

/** Whose it is, in words. */
export function ownerText(origin: string | undefined, mine: string): string {
  const owner = ownerOf(origin);
  if (!owner) return '';
  return owner.kind === 'lane' && owner.name === mine ? 'in my lane only' : `of ${owner.kind} ${owner.name}`;
}

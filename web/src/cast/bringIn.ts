import { api, queries } from '../api/client';
import { openMember } from '../state';
import { characterName } from './files';

/** Brings a character in and opens it. */
export async function bringIn(files: File[]) {
  const { member } = await api.addCharacter(characterName(files), files);
  await queries.invalidateQueries({ queryKey: ['cast'] });
  openMember(member.id);
}

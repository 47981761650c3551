import { Command } from 'commander'
export const loupe = () => new Command('loupe')

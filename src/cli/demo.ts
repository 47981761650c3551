import { Command } from 'commander'
export const demo = () => new Command('demo')

#!/bin/sh
# A shell script as tools: jq reads the calls and writes the replies.
cat <<'DESCRIPTION' | jq -c .
{
  "version": 1,
  "tools": [
    { "name": "free_space", "about": "Free disk space of the store room's computer, in kilobytes.", "effect": "read" },
    {
      "name": "days_until",
      "about": "Days from today until a date, such as the next inspection.",
      "effect": "read",
      "input": {
        "type": "object",
        "properties": { "date": { "type": "string", "pattern": "^\\d{4}-\\d{2}-\\d{2}$", "description": "Such as 2027-03-01" } },
        "required": ["date"]
      }
    }
  ]
}
DESCRIPTION
while read -r line; do
  case "$(printf '%s' "$line" | jq -r .call)" in
    free_space) df -Pk . | awk 'NR == 2 { print $4 }' | jq -c '{ output: . }' ;;
    days_until)
      date=$(printf '%s' "$line" | jq -r .input.date)
      if then=$(date -d "$date" +%s 2>/dev/null); then
        jq -nc --argjson days $(((then - $(date +%s)) / 86400)) '{ output: { days: $days } }'
      else
        jq -nc --arg date "$date" '{ error: "\($date) is not a date" }'
      fi ;;
  esac
done

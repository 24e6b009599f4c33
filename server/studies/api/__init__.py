"""The API: sign-in, studies, variants, jobs, results, events. Every endpoint checks ownership."""

import { z } from 'zod';

// A strict content security policy forbids building functions from text, which Zod would try.
z.config({ jitless: true });

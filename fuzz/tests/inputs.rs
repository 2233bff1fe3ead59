//! Readers hold on what was found before, and on the seeds, also cut short and with bytes exchanged; and take no more memory
//! than they say.
#![allow(clippy::unwrap_used)]

use jam_fuzz::Reader;
use std::alloc::{GlobalAlloc, Layout, System};
use std::sync::atomic::{AtomicUsize, Ordering};

/// Counts what is there, and the most that was.
struct Counted;

static NOW: AtomicUsize = AtomicUsize::new(0);
static MOST: AtomicUsize = AtomicUsize::new(0);

// The counting adds nothing to what the system's own allocator promises.
#[allow(unsafe_code)]
unsafe impl GlobalAlloc for Counted {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        let now = NOW.fetch_add(layout.size(), Ordering::Relaxed) + layout.size();
        MOST.fetch_max(now, Ordering::Relaxed);
        // Safety: what is asked of us is asked of the system.
        unsafe { System.alloc(layout) }
    }

    unsafe fn dealloc(&self, at: *mut u8, layout: Layout) {
        NOW.fetch_sub(layout.size(), Ordering::Relaxed);
        // Safety: it came from the system.
        unsafe { System.dealloc(at, layout) }
    }
}

#[global_allocator]
static ALLOCATOR: Counted = Counted;

/// Most memory at once that reading takes, bytes.
fn taken(reader: Reader, bytes: &[u8]) -> usize {
    let before = NOW.load(Ordering::Relaxed);
    MOST.store(before, Ordering::Relaxed);
    reader.take(bytes);
    MOST.load(Ordering::Relaxed) - before
}

/// One test, so that nothing else takes memory meanwhile.
#[test]
fn readers_hold_and_keep_to_their_memory() {
    for reader in Reader::ALL {
        let inputs = reader.inputs().unwrap();
        assert!(!inputs.is_empty(), "{} has no seeds", reader.name());
        for path in inputs {
            let whole = std::fs::read(&path).unwrap();
            let mut state = 0x2545_f491_4f6c_dd1du64;
            let mut random = move |below: usize| {
                state ^= state << 13;
                state ^= state >> 7;
                state ^= state << 17;
                (state % below.max(1) as u64) as usize
            };
            let mut tries = vec![whole.clone()];
            for _ in 0..12 {
                tries.push(whole[..random(whole.len())].to_vec());
                let mut other = whole.clone();
                for _ in 0..1 + random(3) {
                    let (at, to) = (random(other.len()), [0, 1, 0x7f, 0x80, 0xff, random(256)][random(6)]);
                    if let Some(byte) = other.get_mut(at) {
                        *byte = to as u8;
                    }
                }
                tries.push(other);
            }
            for bytes in tries {
                let (took, may) = (taken(reader, &bytes), reader.most_memory(bytes.len()));
                assert!(took <= may, "{}: {took} bytes, may take {may}: {}", reader.name(), path.display());
            }
        }
    }
}

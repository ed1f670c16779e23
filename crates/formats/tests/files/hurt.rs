//! Every reader given files that were damaged: none may panic past its own catch, none may give what is not a number. The
//! same bodies as the fuzzer's, on the same seeds, with the same damage each time; new damage is `scripts/fuzz`.

use rand::{Rng, RngCore, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::path::Path;

#[allow(unreachable_pub)] // a library there
#[path = "../../../../fuzz/src/lib.rs"]
mod bodies;

/// Numbers that lengths, counts and offsets are wrong with.
const ODD: [u64; 8] = [0, 1, 0x7f, 0xff, 0x7fff_ffff, 0xffff_ffff, u64::MAX, 0x7ff0_0000_0000_0000];

fn damaged(rng: &mut ChaCha8Rng, seed: &[u8], other: &[u8]) -> Vec<u8> {
    let mut bytes = seed.to_vec();
    for _ in 0..rng.random_range(1..=6) {
        if bytes.is_empty() {
            break;
        }
        // headers hold what everything else is read by
        let reach = if rng.random_bool(0.5) { bytes.len().min(512) } else { bytes.len() };
        let at = rng.random_range(0..reach);
        match rng.random_range(0..6) {
            0 => bytes[at] ^= 1 << rng.random_range(0..8),
            1 => bytes.truncate(at),
            2 => {
                let value = ODD[rng.random_range(0..ODD.len())].to_le_bytes();
                let end = (at + [1, 2, 4, 8][rng.random_range(0..4)]).min(bytes.len());
                bytes[at..end].copy_from_slice(&value[..end - at]);
            }
            3 => {
                let end = rng.random_range(at..bytes.len().min(at + 200));
                drop(bytes.drain(at..end));
            }
            4 => {
                let from = rng.random_range(0..other.len());
                let piece = &other[from..other.len().min(from + 100)];
                drop(bytes.splice(at..at, piece.iter().copied()));
            }
            _ => {
                let end = (at + 16).min(bytes.len());
                rng.fill_bytes(&mut bytes[at..end]);
            }
        }
    }
    bytes
}

fn hurt(target: &str, times: usize, body: fn(&[u8])) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/corpus").join(target);
    let mut seeds: Vec<_> = std::fs::read_dir(&folder).unwrap().map(|f| f.unwrap().path()).collect();
    seeds.sort();
    let seeds: Vec<Vec<u8>> = seeds.iter().map(|p| std::fs::read(p).unwrap()).collect();
    assert!(seeds.len() > 2, "no seeds in {}", folder.display());
    let mut rng = ChaCha8Rng::seed_from_u64(1);
    for seed in &seeds {
        body(seed);
    }
    for i in 0..times {
        let other = &seeds[rng.random_range(0..seeds.len())];
        let bytes = damaged(&mut rng, &seeds[i % seeds.len()], other);
        if std::panic::catch_unwind(|| body(&bytes)).is_err() {
            let kept = std::env::temp_dir().join(format!("vistazo-hurt-{target}-{i}"));
            std::fs::write(&kept, &bytes).unwrap();
            panic!("{target}: input {i} was not refused but broke its reader; it is kept in {}", kept.display());
        }
    }
}

#[test]
fn scan_files_that_are_damaged_are_refused() {
    hurt("source", 3000, bodies::source);
}

#[test]
fn stored_files_that_are_damaged_are_refused() {
    hurt("stored", 20_000, bodies::stored);
}

#[test]
fn texts_that_are_damaged_are_refused() {
    hurt("text", 20_000, bodies::text);
}

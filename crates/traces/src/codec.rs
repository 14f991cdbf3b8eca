//! Lossless packing of columns: the bytes of equal significance side by side, then zstd.

const LEVEL: i32 = 1;

/// Packs values; never fails for finite memory.
pub(super) fn encode(values: &[f64]) -> Vec<u8> {
    let n = values.len();
    let mut planes = vec![0u8; 8 * n];
    for (i, value) in values.iter().enumerate() {
        for (plane, byte) in value.to_le_bytes().into_iter().enumerate() {
            planes[plane * n + i] = byte;
        }
    }
    // Compressing into memory has no way to fail; an empty chunk would only lose its points.
    zstd::bulk::compress(&planes, LEVEL).unwrap_or_default()
}

/// Unpacks `count` values; None if the data is damaged.
pub(super) fn decode(data: &[u8], count: usize) -> Option<Vec<f64>> {
    let planes = zstd::bulk::decompress(data, 8 * count).ok()?;
    if planes.len() != 8 * count {
        return None;
    }
    let value = |i: usize| f64::from_le_bytes(std::array::from_fn(|plane| planes[plane * count + i]));
    Some((0..count).map(value).collect())
}

#[cfg(test)]
mod tests {
    use super::{decode, encode};

    #[test]
    fn every_bit_survives() {
        let values = [0.0, -0.0, 1.0 / 3.0, f64::MIN_POSITIVE, -1e300, f64::INFINITY, 5e-324];
        let back = decode(&encode(&values), values.len()).unwrap();
        assert!(values.iter().zip(&back).all(|(a, b)| a.to_bits() == b.to_bits()));
        assert_eq!(decode(&encode(&[]), 0), Some(vec![]));
        assert_eq!(decode(b"damaged", 3), None);
        assert_eq!(decode(&encode(&values), 6), None);
    }
}

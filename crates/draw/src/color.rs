//! Colours for categories and for numbers.

/// Red, green, blue and how much covers what is below, 0 to 255.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Color(pub [u8; 4]);

impl Color {
    /// A colour that covers.
    pub const fn rgb(red: u8, green: u8, blue: u8) -> Self {
        Color([red, green, blue, 255])
    }

    /// The same, letting through what is below: `share` is what covers, 0 to 1.
    pub fn covering(self, share: f64) -> Self {
        let [r, g, b, a] = self.0;
        Color([r, g, b, (f64::from(a) * share.clamp(0.0, 1.0)).round() as u8])
    }

    /// As `#rrggbb`.
    pub fn hex(self) -> String {
        let [r, g, b, _] = self.0;
        format!("#{r:02x}{g:02x}{b:02x}")
    }
}

/// Ink of letters and frames.
pub const INK: Color = Color::rgb(0x26, 0x2b, 0x33);
/// Ink of what stands back.
pub const PALE_INK: Color = Color::rgb(0x70, 0x78, 0x85);
/// Paper.
pub const PAPER: Color = Color::rgb(0xff, 0xff, 0xff);
/// What has no value.
pub const NOTHING: Color = Color::rgb(0xb5, 0xba, 0xc2);

/// Colours for categories, told apart by their lightness too, so that people who see two of the three primaries alike can
/// do so. The tests hold them to that.
pub const CATEGORIES: [Color; 8] = [
    Color::rgb(0x11, 0x24, 0xe6),
    Color::rgb(0xd8, 0x9a, 0x32),
    Color::rgb(0x35, 0x8d, 0x7b),
    Color::rgb(0x64, 0x1c, 0x00),
    Color::rgb(0x8f, 0xb8, 0xa6),
    Color::rgb(0x7f, 0x47, 0x98),
    Color::rgb(0xd4, 0xdc, 0x00),
    Color::rgb(0x2b, 0x2d, 0x5f),
];

/// The ends and the middle of the ramp for numbers: dark to light.
const RAMP: [Color; 5] = [
    Color::rgb(0x1d, 0x1f, 0x5e),
    Color::rgb(0x1f, 0x5f, 0x8f),
    Color::rgb(0x2b, 0x9a, 0x8c),
    Color::rgb(0x9c, 0xcb, 0x6b),
    Color::rgb(0xf7, 0xf0, 0xb2),
];

/// The colour of a share of a range, 0 to 1: evenly from dark to light in the eye (Oklab, by Ottosson 2020).
pub fn ramp(share: f64) -> Color {
    let at = share.clamp(0.0, 1.0) * (RAMP.len() - 1) as f64;
    let (from, t) = ((at.floor() as usize).min(RAMP.len() - 2), at);
    let t = t - from as f64;
    let (a, b) = (oklab(RAMP[from]), oklab(RAMP[from + 1]));
    from_oklab(std::array::from_fn(|i| a[i] + (b[i] - a[i]) * t))
}

fn linear(v: u8) -> f64 {
    let v = f64::from(v) / 255.0;
    if v <= 0.04045 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) }
}

fn encoded(v: f64) -> u8 {
    let v = v.clamp(0.0, 1.0);
    let v = if v <= 0.003_130_8 { 12.92 * v } else { 1.055 * v.powf(1.0 / 2.4) - 0.055 };
    (v * 255.0).round() as u8
}

/// Lightness and two axes of hue of a colour.
fn oklab(color: Color) -> [f64; 3] {
    let [r, g, b] = [0, 1, 2].map(|i| linear(color.0[i]));
    let l = (0.412_221_470_8 * r + 0.536_332_536_3 * g + 0.051_445_992_9 * b).cbrt();
    let m = (0.211_903_498_2 * r + 0.680_699_545_1 * g + 0.107_396_956_6 * b).cbrt();
    let s = (0.088_302_461_9 * r + 0.281_718_837_6 * g + 0.629_978_700_5 * b).cbrt();
    [
        0.210_454_255_3 * l + 0.793_617_785_0 * m - 0.004_072_046_8 * s,
        1.977_998_495_1 * l - 2.428_592_205_0 * m + 0.450_593_709_9 * s,
        0.025_904_037_1 * l + 0.782_771_766_2 * m - 0.808_675_766_0 * s,
    ]
}

fn from_oklab([lightness, a, b]: [f64; 3]) -> Color {
    let l = (lightness + 0.396_337_777_4 * a + 0.215_803_757_3 * b).powi(3);
    let m = (lightness - 0.105_561_345_8 * a - 0.063_854_172_8 * b).powi(3);
    let s = (lightness - 0.089_484_177_5 * a - 1.291_485_548_0 * b).powi(3);
    Color::rgb(
        encoded(4.076_741_662_1 * l - 3.307_711_591_3 * m + 0.230_969_929_2 * s),
        encoded(-1.268_438_004_6 * l + 2.609_757_401_1 * m - 0.341_319_396_5 * s),
        encoded(-0.004_196_086_3 * l - 0.703_418_614_7 * m + 1.707_614_701_0 * s),
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What people see who lack the cones for red, for green and for blue (Machado, Oliveira and Fernandes 2009, severity 1,
    /// on linear light).
    const SEEN: [[[f64; 3]; 3]; 3] = [
        [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
        [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
        [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]],
    ];

    fn seen(color: Color, by: &[[f64; 3]; 3]) -> Color {
        let light = [0, 1, 2].map(|i| linear(color.0[i]));
        let part = |row: &[f64; 3]| encoded(row.iter().zip(light).map(|(a, b)| a * b).sum());
        Color::rgb(part(&by[0]), part(&by[1]), part(&by[2]))
    }

    fn apart(a: Color, b: Color) -> f64 {
        let (a, b) = (oklab(a), oklab(b));
        a.iter().zip(b).map(|(a, b)| (a - b).powi(2)).sum::<f64>().sqrt()
    }

    #[test]
    fn categories_are_told_apart_whoever_looks() {
        let identity = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
        for by in std::iter::once(&identity).chain(&SEEN) {
            for (i, a) in CATEGORIES.iter().enumerate() {
                for b in &CATEGORIES[..i] {
                    let d = apart(seen(*a, by), seen(*b, by));
                    assert!(d > 0.12, "{} and {} are {d:.3} apart for {by:?}", a.hex(), b.hex());
                }
            }
        }
    }

    #[test]
    fn the_ramp_grows_lighter_evenly() {
        let lightness: Vec<f64> = (0..=40).map(|i| oklab(ramp(f64::from(i) / 40.0))[0]).collect();
        for pair in lightness.windows(2) {
            let step = pair[1] - pair[0];
            assert!(step > 0.004 && step < 0.035, "{step}");
        }
        assert_eq!((ramp(-1.0), ramp(2.0)), (RAMP[0], RAMP[4]));
    }

    #[test]
    fn colours_come_back_from_the_eye() {
        for color in CATEGORIES {
            let back = from_oklab(oklab(color));
            assert!(back.0.iter().zip(color.0).all(|(a, b)| a.abs_diff(b) <= 1), "{color:?} {back:?}");
        }
    }
}

//! Character sets and collations (<https://mariadb.com/kb/en/supported-character-sets-and-collations/>).

/// Each character set with its default collation in 10.6 to 11.4, and the most bytes of a character.
const CHARACTER_SETS: &[(&str, &str, u64)] = &[
    ("armscii8", "armscii8_general_ci", 1),
    ("ascii", "ascii_general_ci", 1),
    ("big5", "big5_chinese_ci", 2),
    ("binary", "binary", 1),
    ("cp1250", "cp1250_general_ci", 1),
    ("cp1251", "cp1251_general_ci", 1),
    ("cp1256", "cp1256_general_ci", 1),
    ("cp1257", "cp1257_general_ci", 1),
    ("cp850", "cp850_general_ci", 1),
    ("cp852", "cp852_general_ci", 1),
    ("cp866", "cp866_general_ci", 1),
    ("cp932", "cp932_japanese_ci", 2),
    ("dec8", "dec8_swedish_ci", 1),
    ("eucjpms", "eucjpms_japanese_ci", 3),
    ("euckr", "euckr_korean_ci", 2),
    ("gb2312", "gb2312_chinese_ci", 2),
    ("gbk", "gbk_chinese_ci", 2),
    ("geostd8", "geostd8_general_ci", 1),
    ("greek", "greek_general_ci", 1),
    ("hebrew", "hebrew_general_ci", 1),
    ("hp8", "hp8_english_ci", 1),
    ("keybcs2", "keybcs2_general_ci", 1),
    ("koi8r", "koi8r_general_ci", 1),
    ("koi8u", "koi8u_general_ci", 1),
    ("latin1", "latin1_swedish_ci", 1),
    ("latin2", "latin2_general_ci", 1),
    ("latin5", "latin5_turkish_ci", 1),
    ("latin7", "latin7_general_ci", 1),
    ("macce", "macce_general_ci", 1),
    ("macroman", "macroman_general_ci", 1),
    ("sjis", "sjis_japanese_ci", 2),
    ("swe7", "swe7_swedish_ci", 1),
    ("tis620", "tis620_thai_ci", 1),
    ("ucs2", "ucs2_general_ci", 2),
    ("ujis", "ujis_japanese_ci", 3),
    ("utf16", "utf16_general_ci", 4),
    ("utf16le", "utf16le_general_ci", 4),
    ("utf32", "utf32_general_ci", 4),
    ("utf8mb3", "utf8mb3_general_ci", 3),
    ("utf8mb4", "utf8mb4_general_ci", 4),
];

/// The default collation of text without settings.
pub const USUAL_COLLATION: &str = "utf8mb4_general_ci";

/// The character set of a name that a person may write: `utf8` is an alias (`old_mode=UTF8_IS_UTF8MB3`, the default).
pub fn character_set(written: &str) -> String {
    match written.to_ascii_lowercase().as_str() {
        "utf8" => "utf8mb3".to_owned(),
        other => other.to_owned(),
    }
}

/// The default collation of a character set.
pub fn default_collation(character_set: &str) -> String {
    let found = CHARACTER_SETS.iter().find(|(name, ..)| *name == character_set);
    found.map_or_else(|| format!("{character_set}_general_ci"), |(_, collation, _)| (*collation).to_owned())
}

/// The collation of a name that a person may write, in a context of this character set: `utf8_bin`, `uca1400_ai_ci`.
pub fn collation(written: &str, context: &str) -> String {
    let lower = written.to_ascii_lowercase();
    if let Some(rest) = lower.strip_prefix("utf8_") {
        return format!("utf8mb3_{rest}");
    }
    if lower.starts_with("uca1400_") { format!("{context}_{lower}") } else { lower }
}

/// The character set of a collation.
pub fn of_collation(collation: &str) -> &str {
    collation.split_once('_').map_or(collation, |(character_set, _)| character_set)
}

/// Whether there is such a character set.
pub fn is_known(character_set: &str) -> bool {
    CHARACTER_SETS.iter().any(|(name, ..)| *name == character_set)
}

/// The most bytes of a character.
pub fn most_bytes(character_set: &str) -> u64 {
    CHARACTER_SETS.iter().find(|(name, ..)| *name == character_set).map_or(4, |(.., bytes)| *bytes)
}

/// The collation of a character set in which each character is its own code.
pub fn binary_collation(character_set: &str) -> String {
    if character_set == "binary" { "binary".to_owned() } else { format!("{character_set}_bin") }
}

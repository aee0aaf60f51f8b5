//! Words for a POSIX shell: the one place where a command to copy is written.

/// One word, quoted where the shell would read more into it than it says (POSIX, Shell
/// Command Language, section 2.2.2: nothing has a meaning between single quotes).
pub fn quoted(word: &str) -> String {
    let plain = |c: char| c.is_ascii_alphanumeric() || "_-./:@%+,=".contains(c);
    let begins_plainly = !word.starts_with(['=', '%']);
    if !word.is_empty() && word.chars().all(plain) && begins_plainly {
        return word.to_owned();
    }
    format!("'{}'", word.replace('\'', r"'\''"))
}

/// A command line of these words.
pub fn command<'a>(words: impl IntoIterator<Item = &'a str>) -> String {
    let words: Vec<String> = words.into_iter().map(quoted).collect();
    words.join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_shell_reads_what_was_meant() {
        assert_eq!(quoted("--until"), "--until");
        assert_eq!(
            quoted("quay.osmary.example:5432"),
            "quay.osmary.example:5432"
        );
        assert_eq!(quoted("host=$(id) user=`id`"), "'host=$(id) user=`id`'");
        assert_eq!(quoted("it's"), r"'it'\''s'");
        assert_eq!(quoted(""), "''");
        assert_eq!(quoted("[::1]:5432"), "'[::1]:5432'");
        assert_eq!(command(["a", "b c"]), "a 'b c'");
    }
}

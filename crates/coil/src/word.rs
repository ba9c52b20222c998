//! Names of enum values as documents write them.

/// An enum whose values have a name in documents, in kebab case: `twin-coil`.
pub trait Word: Into<&'static str> {
    /// The name in documents.
    fn word(self) -> &'static str {
        self.into()
    }

    /// The name as people read it: `twin coil`.
    fn spoken(self) -> String {
        self.word().replace('-', " ")
    }
}

impl<T: Into<&'static str>> Word for T {}

/// Derives what every word of a document needs: it is written in kebab case, and read from that.
macro_rules! document_word {
    ($(#[$meta:meta])* pub enum $name:ident { $($body:tt)* }) => {
        $(#[$meta])*
        #[derive(
            Clone,
            Copy,
            Debug,
            PartialEq,
            Eq,
            serde::Serialize,
            serde::Deserialize,
            schemars::JsonSchema,
            strum::EnumString,
            strum::IntoStaticStr,
            strum::VariantArray,
        )]
        #[serde(rename_all = "kebab-case")]
        #[strum(serialize_all = "kebab-case")]
        pub enum $name { $($body)* }

        impl $name {
            /// All of them, in the order that lists show them in.
            pub const ALL: [Self; <Self as strum::VariantArray>::VARIANTS.len()] =
                *<Self as strum::VariantArray>::VARIANTS.first_chunk().expect("an array has its own length");
        }
    };
}

pub(crate) use document_word;

/// A text with its first letter as a capital.
#[must_use]
pub fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::Format;
    use crate::magnet::Grade;

    /// The name is the one that the document has.
    #[test]
    fn names_are_those_of_documents() {
        for kind in Format::ALL {
            assert_eq!(serde_json::to_value(kind).unwrap(), kind.word());
            assert_eq!(kind.word().parse::<Format>().unwrap(), kind);
        }
        for grade in Grade::MAGNETS {
            assert_eq!(serde_json::to_value(grade).unwrap(), grade.word());
        }
        assert_eq!(Format::TwinCoil.spoken(), "twin coil");
    }
}

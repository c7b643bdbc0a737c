//! Holds JSON against a JSON Schema: the keywords (2020-12) that ours use, and no other. A keyword that is not known here
//! fails the test instead of being passed over. `.ci/run` checks the same files with a whole validator.

use serde_json::Value;

/// Every place where `value` is not what `schema` says, as `path: what is wrong`.
pub(crate) fn faults(schema: &Value, value: &Value) -> Vec<String> {
    let mut faults = Vec::new();
    check(schema, schema, value, "", &mut faults);
    faults
}

fn check(root: &Value, schema: &Value, value: &Value, path: &str, faults: &mut Vec<String>) {
    let rules = match schema {
        Value::Bool(true) => return,
        Value::Bool(false) => return faults.push(format!("{path}: is not allowed")),
        rules => rules.as_object().expect("a schema is an object or a boolean"),
    };
    let is_valid = |one: &Value| {
        let mut inner = Vec::new();
        check(root, one, value, path, &mut inner);
        inner.is_empty()
    };
    for (keyword, rule) in rules {
        let list = || rule.as_array().expect("a list of schemas");
        let holds = match keyword.as_str() {
            "$schema" | "$id" | "$defs" | "title" | "description" | "default" | "examples" | "format" => true,
            "type" => match rule {
                Value::String(one) => is_of(value, one),
                many => many.as_array().unwrap().iter().any(|one| is_of(value, one.as_str().unwrap())),
            },
            "const" => value == rule,
            "enum" => list().contains(value),
            "minimum" => value.as_f64().is_none_or(|number| number >= rule.as_f64().unwrap()),
            "maximum" => value.as_f64().is_none_or(|number| number <= rule.as_f64().unwrap()),
            "exclusiveMinimum" => value.as_f64().is_none_or(|number| number > rule.as_f64().unwrap()),
            "minItems" => value.as_array().is_none_or(|items| items.len() as u64 >= rule.as_u64().unwrap()),
            "maxItems" => value.as_array().is_none_or(|items| items.len() as u64 <= rule.as_u64().unwrap()),
            "minLength" => {
                value.as_str().is_none_or(|text| text.chars().count() as u64 >= rule.as_u64().unwrap())
            }
            "maxLength" => {
                value.as_str().is_none_or(|text| text.chars().count() as u64 <= rule.as_u64().unwrap())
            }
            "required" => value
                .as_object()
                .is_none_or(|object| list().iter().all(|key| object.contains_key(key.as_str().unwrap()))),
            "oneOf" => list().iter().filter(|one| is_valid(one)).count() == 1,
            "anyOf" => list().iter().any(is_valid),
            "allOf" => list().iter().all(is_valid),
            "$ref" => {
                let place = rule.as_str().unwrap().strip_prefix('#').expect("a place in the same schema");
                check(root, root.pointer(place).expect("what is referred to"), value, path, faults);
                true
            }
            "items" => {
                for (at, item) in value.as_array().into_iter().flatten().enumerate() {
                    check(root, rule, item, &format!("{path}/{at}"), faults);
                }
                true
            }
            "properties" => {
                for (key, rule) in rule.as_object().unwrap() {
                    if let Some(inner) = value.get(key) {
                        check(root, rule, inner, &format!("{path}/{key}"), faults);
                    }
                }
                true
            }
            "additionalProperties" => {
                let known = |key: &String| rules.get("properties").is_some_and(|all| all.get(key).is_some());
                let others = value.as_object().into_iter().flatten().filter(|(key, _)| !known(key));
                for (key, inner) in others {
                    check(root, rule, inner, &format!("{path}/{key}"), faults);
                }
                true
            }
            other => panic!("the schema uses the keyword {other}, which is not checked here"),
        };
        if !holds {
            faults.push(format!("{path}: {value} breaks {keyword} {rule}"));
        }
    }
}

fn is_of(value: &Value, kind: &str) -> bool {
    match kind {
        "null" => value.is_null(),
        "boolean" => value.is_boolean(),
        "object" => value.is_object(),
        "array" => value.is_array(),
        "string" => value.is_string(),
        "number" => value.is_number(),
        "integer" => value.as_f64().is_some_and(|number| number.fract() == 0.0),
        other => panic!("the schema uses the type {other}"),
    }
}
